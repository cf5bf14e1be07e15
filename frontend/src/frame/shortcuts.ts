/** Every key the application listens to, once: the help sheet is drawn from here, and so is what is listened to. */
import { useEventListener } from "@vueuse/core";
import { onScopeDispose } from "vue";

interface Row {
  /** As it stands on the help sheet. */
  shown: string;
  does: string;
}
interface Shortcut extends Row {
  /** Combinations as `ctrl+shift+z`; ctrl stands for the command key too. */
  keys: string[];
  /** Left alone while a control has the focus that answers to the same key. */
  free?: boolean;
  /** Taken from the controls of a list, too, which do not answer to it. */
  onLines?: boolean;
  /** Only while the focus is in here; letters are notes elsewhere. */
  within?: string;
}

const PLAYING = {
  hold: { keys: [" "], free: true, shown: "Space", does: "hold: notes go on when keys are let go" },
  panic: { keys: ["escape"], shown: "Esc", does: "panic: silence everything" },
  record: { keys: ["shift+r"], shown: "Shift R", does: "record a take, or end it" },
  recordHere: { keys: ["r"], shown: "R", does: "the same, where letters are commands" },
  mark: { keys: ["."], shown: ".", does: "while recording: that was good" },
} satisfies Record<string, Shortcut>;

const SNAPSHOTS = {
  recall: {
    keys: ["1", "2", "3", "4", "5", "6", "7", "8", "9"].map((key) => `alt+${key}`),
    shown: "Alt 1 \u2026 9",
    does: "recall a snapshot of the instrument",
  },
} satisfies Record<string, Shortcut>;

const BENCH = {
  listen: { keys: ["enter"], free: true, shown: "Click, Enter", does: "listen from there; listen or stop" },
  leave: { keys: ["escape"], shown: "Esc", does: "leave a step that asks for a stretch" },
  sweep: { keys: ["shift+enter"], free: true, shown: "Shift Enter on a wavetable", does: "hear it swept as its recording went" },
} satisfies Record<string, Shortcut>;

const LEDGER = "[data-ledger]";

const FIELD = {
  search: { keys: ["/"], shown: "/", does: "find in Field" },
  next: { keys: ["arrowdown"], free: true, onLines: true, shown: "\u2193", does: "the next sound" },
  previous: { keys: ["arrowup"], free: true, onLines: true, shown: "\u2191", does: "the sound before" },
  hear: { keys: ["enter"], free: true, shown: "Enter", does: "listen, or stop" },
  bench: { keys: ["b"], within: LEDGER, shown: "B", does: "put the recording on the bench" },
  pick: {
    keys: ["x"],
    within: LEDGER,
    shown: "X",
    does: "pick, for doing one thing to several; Shift click picks all between, Ctrl click one more",
  },
  grow: { keys: ["g"], within: LEDGER, shown: "G", does: "grow an instrument from the recording" },
  rename: { keys: ["f2"], shown: "F2", does: "rename the chosen sound" },
  remove: { keys: ["delete"], shown: "Delete", does: "take the sound off the shelf" },
} satisfies Record<string, Shortcut>;

const PICTURE = {
  play: { keys: ["enter"], free: true, shown: "Enter", does: "play from the playhead, or stop" },
  frameBack: { keys: [","], shown: ",", does: "a frame back" },
  frameOn: { keys: ["."], shown: ".", does: "a frame on" },
  secondBack: { keys: ["<", "shift+,"], shown: "Shift ,", does: "a second back" },
  secondOn: { keys: [">", "shift+."], shown: "Shift .", does: "a second on" },
} satisfies Record<string, Shortcut>;

const EVERYWHERE = {
  undo: { keys: ["ctrl+z"], shown: "Ctrl Z", does: "undo" },
  redo: { keys: ["ctrl+shift+z", "ctrl+y"], shown: "Ctrl Shift Z", does: "redo" },
  help: { keys: ["?"], shown: "?", does: "this sheet" },
} satisfies Record<string, Shortcut>;

const SHORTCUTS = { ...PLAYING, ...SNAPSHOTS, ...BENCH, ...FIELD, ...PICTURE, ...EVERYWHERE };
export type ShortcutId = keyof typeof SHORTCUTS;

/** The help sheet: what is listened to here, among gestures and keys that controls answer to themselves. */
export const SHEET: { name: string; rows: Row[] }[] = [
  {
    name: "Playing",
    rows: [
      { shown: "Z S X D C \u2026", does: "one octave, from C upward; Q 2 W 3 E \u2026 the next" },
      {
        shown: "In a list or a picture",
        does: "letters are its commands instead; the strip says so, and a click on it makes them notes again",
      },
      { shown: "\u2190 \u2192 on the strip", does: "octave down, octave up" },
      ...Object.values(PLAYING),
      { shown: "Strip", does: "across: pitch; up: slide; wheel or push: pressure" },
    ],
  },
  {
    name: "Rules",
    rows: [
      { shown: "Drag", does: "set; with Shift, ten times finer" },
      { shown: "Arrows, Page, Home, End", does: "step, coarse step, ends" },
      { shown: "Enter, or click the number", does: "type a value" },
      { shown: "Double-click or Delete", does: "the default" },
      { shown: "Shift Enter", does: "what moves this, and adding a source" },
      { shown: "Drop a modulator", does: "lets it move this" },
    ],
  },
  {
    name: "Bench",
    rows: [
      { shown: "Wheel, + and \u2212, 0", does: "zoom in, out, show all; Shift and wheel, or \u2190 \u2192, scroll" },
      ...Object.values(BENCH),
      { shown: "\u2190 \u2192 on an edge", does: "move by 1 ms; Shift: one sample; Alt: zero crossing" },
      { shown: "Alt \u2191 \u2193, Delete on a step", does: "move it, remove it" },
      { shown: "K D N J on a piece", does: "keep, drop, name, join to the one before" },
    ],
  },
  { name: "Field", rows: Object.values(FIELD) },
  {
    name: "Instrument",
    rows: [...Object.values(SNAPSHOTS), { shown: "Arrows on the map", does: "stand elsewhere; with Shift, ten times finer" }],
  },
  {
    name: "Takes",
    rows: [
      { shown: "\u2191 \u2193 on a moment", does: "the one before, the next: heard at once" },
      { shown: "Enter on a moment", does: "listen, or stop" },
      { shown: "K D N on a moment", does: "keep, drop, name" },
      { shown: "Drag on a line", does: "choose a stretch; a click listens from there" },
    ],
  },
  {
    name: "Deliver",
    rows: [
      { shown: "\u2191 \u2193 on a variation", does: "the one before, the next: heard at once" },
      ...Object.values(PICTURE),
      { shown: "Arrows on a clip", does: "move it by a frame, or to another lane; with Shift, by a second" },
      { shown: "S D Delete Enter on a clip", does: "split, repeat, take out, play from its start" },
      { shown: "Enter, K, D on a variation", does: "listen or stop, keep, drop" },
    ],
  },
  { name: "Everywhere", rows: [...Object.values(EVERYWHERE), { shown: "F2", does: "rename" }] },
];

/** Whether what is typed goes somewhere already: into an entry, a dialog, or a menu. */
export function isTyping(target: EventTarget | null): boolean {
  return target instanceof Element && target.closest("input, textarea, select, [role=dialog], [role=menu]") !== null;
}

/** Whether a control has the focus that answers to Enter, Space or arrows itself. */
function isOnControl(target: EventTarget | null): boolean {
  return target instanceof Element && target.closest("button, a, ol, [role=slider], [role=radio], [role=group]") !== null;
}

/** A pressed key in the words of the map. */
export function combination(event: KeyboardEvent): string {
  const key = event.key.toLowerCase();
  const shift = event.shiftKey && (key.length > 1 || /\p{L}/u.test(key));
  return [event.ctrlKey || event.metaKey ? "ctrl+" : "", event.altKey ? "alt+" : "", shift ? "shift+" : "", key].join("");
}

type Handlers = Partial<Record<ShortcutId, (event: KeyboardEvent) => unknown>>;
interface Listener {
  handlers: Handlers;
  when: () => boolean;
}
const listeners = new Set<Listener>();

/** What of a listener's a pressed key may be for. */
function meant({ handlers, when }: Listener, event: KeyboardEvent): ShortcutId[] {
  if (event.defaultPrevented || isTyping(event.target) || !when()) return [];
  const pressed = combination(event);
  return (Object.keys(handlers) as ShortcutId[]).filter((id) => {
    const { keys, free, onLines, within }: Shortcut = SHORTCUTS[id];
    const taken = free && isOnControl(event.target) && !(onLines && event.target instanceof Element && event.target.closest(LEDGER));
    if (!keys.includes(pressed) || taken) return false;
    return !within || (event.target instanceof Element && event.target.closest(within) !== null);
  });
}

/** Whether a pressed key is for a command now, and so no note. */
export function isCommand(event: KeyboardEvent): boolean {
  return [...listeners].some((one) => meant(one, event).length > 0);
}

/**
 * Listen to keys of the map while a component is there.
 *
 * A handler that gives `false` did nothing, and leaves the key to others.
 */
export function useShortcuts(handlers: Handlers, when: () => boolean = () => true): void {
  const listener = { handlers, when };
  listeners.add(listener);
  onScopeDispose(() => listeners.delete(listener));
  useEventListener(window, "keydown", (event: KeyboardEvent) => {
    for (const id of meant(listener, event)) {
      if (handlers[id]!(event) === false) continue;
      event.preventDefault();
      return;
    }
  });
}
