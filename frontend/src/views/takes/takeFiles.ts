import { upload } from "../../api/client";
import { useInstrument } from "../../stores/instrument";
import { useTaking } from "../../stores/taking";

/** Take in a take from elsewhere, or a MIDI file as hands on the instrument at hand. */
export async function openTakeFile(file: File): Promise<void> {
  const signal = new AbortController().signal;
  const taking = useTaking();
  if (/\.midi?$/i.test(file.name)) {
    const instrument = useInstrument().id;
    if (instrument === null) throw new Error("A MIDI file is played on an instrument: open one first.");
    await upload(`/api/takes/midi?instrument=${instrument}`, file, () => undefined, signal);
  } else await upload("/api/takes/file", file, () => undefined, signal);
  await taking.enter(true);
}
