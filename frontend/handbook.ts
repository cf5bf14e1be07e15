/** The handbook: Markdown of docs/handbook, made into pages of HTML as the front end is built. */
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";

import MarkdownIt from "markdown-it";
import type { Plugin } from "vite";

const FOLDER = resolve(dirname(fileURLToPath(import.meta.url)), "../docs/handbook");
const NAME = "virtual:handbook";

/** A page as a module that imports its pictures: they get addresses of their own in the build. */
function pageOf(file: string): { imports: string[]; code: string } {
  const markdown = new MarkdownIt({ html: false, typographer: false });
  const imports: string[] = [];
  const draw = markdown.renderer.rules.image!;
  markdown.renderer.rules.image = (tokens, at, ...rest) => {
    const token = tokens[at]!;
    const name = `picture_${file.replace(/\W/g, "_")}_${imports.length}`;
    imports.push(`import ${name} from ${JSON.stringify(resolve(FOLDER, token.attrGet("src") ?? ""))};`);
    token.attrSet("src", `\u0000${name}\u0000`);
    token.attrSet("loading", "lazy");
    return draw(tokens, at, ...rest);
  };
  const source = readFileSync(join(FOLDER, file), "utf8");
  const html = markdown.render(source);
  const id = file.replace(/^\d+-/, "").replace(/\.md$/, "");
  const title = /^# (.+)$/m.exec(source)?.[1] ?? id;
  // what is searched: the words without their marks
  const text = source.replace(/!\[([^\]]*)\]\([^)]*\)/g, "$1").replace(/[#*`|>]/g, "");
  const body = html
    .split("\u0000")
    .map((part, i) => (i % 2 ? part : JSON.stringify(part)))
    .join(" + ");
  return { imports, code: `{ id: ${JSON.stringify(id)}, title: ${JSON.stringify(title)}, text: ${JSON.stringify(text)}, html: ${body} }` };
}

export function handbook(): Plugin {
  return {
    name: "handbook",
    resolveId: (id) => (id === NAME ? `\u0000${NAME}` : undefined),
    load(id) {
      if (id !== `\u0000${NAME}`) return undefined;
      const files = readdirSync(FOLDER)
        .filter((one) => one.endsWith(".md"))
        .sort();
      for (const file of files) this.addWatchFile(join(FOLDER, file));
      const pages = files.map(pageOf);
      return `${pages.flatMap(({ imports }) => imports).join("\n")}\nexport default [${pages.map(({ code }) => code).join(",\n")}];`;
    },
  };
}
