import type { Declared } from "../api/types";

/** Whether a setting matters now: what it depends on has to have one of its words, and to matter itself. */
export function matters({ when }: Declared, all: readonly Declared[], values: object): boolean {
  if (!when) return true;
  const [id, words] = when;
  const on = all.find((one) => one.id === id);
  const value = (values as Record<string, unknown>)[id] ?? on?.default;
  return words.includes(String(value)) && (!on || matters(on, all, values));
}

/** What is declared, under its headings in their order. */
export function grouped(all: readonly Declared[]): { name: string; declared: Declared[] }[] {
  return [...new Set(all.map(({ group }) => group))].map((name) => ({ name, declared: all.filter(({ group }) => group === name) }));
}
