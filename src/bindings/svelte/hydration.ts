// Whether a page takes over what a server rendered.
import { onMount } from 'svelte';

/** What is called when the page has taken over what a server rendered; absent before and after. */
let hydrating: Set<() => void> | undefined;
/** The question was asked in this turn. */
let isAsked = false;
/** The marks of what was taken over. */
const takenOver = new WeakSet<Node>();

/**
 * Notes that a component is initialised, and returns a function that says whether the page takes over what a server rendered:
 * until its components are mounted they show what the server did. Svelte does not say so, but a page that hydrates has the
 * marks of the server's rendering before its first component is there.
 * @param whenMounted called when the page has taken over; not where it does not
 */
export function hydrationOf(whenMounted: () => void): () => boolean {
  if (!isAsked) {
    isAsked = true;
    void Promise.resolve().then(() => (isAsked = false));
    if (serverMarks().length > 0) {
      hydrating = new Set();
      // Called when the whole tree is there, also by the component that was initialised first.
      onMount(() => {
        for (const mark of serverMarks()) takenOver.add(mark);
        const all = hydrating!;
        hydrating = undefined;
        for (const one of all) one();
      });
    }
  }
  if (!hydrating) return () => false;
  const own = hydrating;
  own.add(whenMounted);
  return () => hydrating === own;
}

/** What only a rendering on a server leaves on a page, and was not taken over. */
function serverMarks(): readonly Node[] {
  const { document } = globalThis as { readonly document?: Document };
  const comments = document?.createTreeWalker(document.body, NodeFilter.SHOW_COMMENT);
  const marks: Node[] = [];
  while (comments?.nextNode()) {
    const { currentNode } = comments;
    if (currentNode.nodeValue === '[' && !takenOver.has(currentNode)) marks.push(currentNode);
  }
  return marks;
}
