import { watch } from "vue";
import { useRoute, useRouter } from "vue-router";

/** A store with a list of documents, one of which may be open. */
interface Documents {
  id: number | null;
  lines: { id: number }[];
  list: () => Promise<void>;
  open: (id: number) => Promise<boolean>;
}

interface Options {
  again?: () => unknown;
  last?: string;
}

/**
 * Opens the document that the address names; where it names none, the one in hand or the first there is, as soon as there is one.
 *
 * @param name of the route, which may have a parameter `id`.
 * @param path of the route, without it.
 * @param again what to do where the document is open already.
 * @param last where the browser keeps the number of the one that was open last.
 */
export function useAddressed(name: string, path: string, documents: Documents, { again, last }: Options = {}): void {
  const route = useRoute();
  const router = useRouter();
  const show = (id: number) => router.replace(`${path}/${id}`);

  async function follow(id: string): Promise<unknown> {
    if (Number(id) === documents.id) return again?.();
    return (await documents.open(Number(id))) || router.replace(path);
  }

  async function choose(): Promise<unknown> {
    if (documents.id !== null) return show(documents.id);
    await documents.list();
    return showFirst();
  }

  function showFirst(): unknown {
    const before = Number(last && localStorage.getItem(last));
    const first = documents.lines.find(({ id }) => id === before) ?? documents.lines[0];
    return first && show(first.id);
  }

  watch(
    () => route.params.id,
    (id) => route.name === name && void (id ? follow(String(id)) : choose()),
    { immediate: true },
  );
  // the first may come in from elsewhere while the empty page is shown
  watch(
    () => documents.lines[0]?.id,
    (first, before) => first !== undefined && before === undefined && route.name === name && !route.params.id && showFirst(),
  );
}
