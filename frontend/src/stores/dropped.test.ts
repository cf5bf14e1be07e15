import { describe, expect, it } from "vitest";

import { droppedFiles, folderOf } from "./dropped";

type Tree = { [name: string]: Tree | null };

/** An entry as browsers give it: folders hand out what is in them a few at a time. */
function entry(name: string, inside: Tree | null): FileSystemEntry {
  if (inside === null) return { isFile: true, name, file: (done: (file: File) => void) => done(new File([""], name)) } as never;
  const left = Object.entries(inside).map(([one, below]) => entry(one, below));
  const readEntries = (done: (batch: FileSystemEntry[]) => void) => done(left.splice(0, 2));
  return { isFile: false, name, createReader: () => ({ readEntries }) } as never;
}

const dropped = (tree: Tree): DataTransfer =>
  ({ items: Object.entries(tree).map(([name, inside]) => ({ webkitGetAsEntry: () => entry(name, inside) })), files: [] }) as never;

describe("what was dropped", () => {
  it("is every file in every folder, however many", async () => {
    const tree = { "a.wav": null, day: { "b.wav": null, "c.wav": null, "d.wav": null, night: { "e.wav": null } } };
    expect((await droppedFiles(dropped(tree))).map(({ name }) => name)).toEqual(["a.wav", "b.wav", "c.wav", "d.wav", "e.wav"]);
  });

  it("knows the outermost folder of each", async () => {
    const tree = { "a.wav": null, day: { night: { "e.wav": null } } };
    expect((await droppedFiles(dropped(tree))).map(folderOf)).toEqual(["", "day"]);
    const chosen = Object.defineProperty(new File([""], "b.wav"), "webkitRelativePath", { value: "card/take/b.wav" });
    expect(folderOf(chosen)).toBe("card");
  });

  it("leaves out what systems hide in folders", async () => {
    expect((await droppedFiles(dropped({ day: { ".DS_Store": null, "b.wav": null } }))).map(({ name }) => name)).toEqual(["b.wav"]);
  });

  it("is the plain files where the browser tells of no entries", async () => {
    const file = new File([""], "a.wav");
    expect(await droppedFiles({ items: [{}], files: [file] } as never)).toEqual([file]);
  });

  it("fails where a file cannot be opened", async () => {
    const bad = { isFile: true, name: "x.wav", file: (_: unknown, fail: (error: Error) => void) => fail(new Error("gone")) };
    await expect(droppedFiles({ items: [{ webkitGetAsEntry: () => bad }], files: [] } as never)).rejects.toThrow("gone");
  });
});
