import { useNotices } from "./notices";

/** Take something away; the notice that says so offers the way back. Gives whether it is gone. */
export async function removeWithWayBack(name: string, remove: () => Promise<unknown>, restore: () => Promise<unknown>): Promise<boolean> {
  try {
    await remove();
  } catch (error) {
    useNotices().complain(error);
    return false;
  }
  useNotices().say(`'${name}' is deleted.`, async () => void (await restore()));
  return true;
}
