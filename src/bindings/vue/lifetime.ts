// When a component begins and ends to follow, and whether it takes over what a server rendered.
import {
  getCurrentInstance,
  getCurrentScope,
  inject,
  onMounted,
  onScopeDispose,
  ssrContextKey,
  type ComponentInternalInstance,
} from 'vue';
import { reportNoScope } from '../../core/internal.js';
import type { Runtime } from '../../core/index.js';

/**
 * Returns a function that calls `begin` at its first call: with the first read, since a component may read long before it is
 * mounted. `end` is called with the end of the scope; where no scope would call it, neither is `begin`.
 * @param call what the component called, for the message
 */
export function fromFirstRead(
  runtime: Runtime,
  call: string,
  { begin, end }: { readonly begin: () => void; readonly end: () => void },
): () => void {
  // Components that are rendered on a server are not unmounted.
  if (inject<object | undefined>(ssrContextKey, undefined)) return () => undefined;
  if (!getCurrentScope()) {
    reportNoScope(runtime, call);
    return () => undefined;
  }
  let mayBegin = true;
  const instance = getCurrentInstance();
  onScopeDispose(() => {
    mayBegin = false;
    const element = elementOf(instance);
    if (element) unmounted.add(element);
    end();
  });
  return () => {
    if (!mayBegin) return;
    mayBegin = false;
    begin();
  };
}

/** The elements of components that were unmounted: a node that is shown again still has its last one. */
const unmounted = new WeakSet();

/**
 * Whether the component takes over what a server rendered: an instance whose node has an element before it is mounted has
 * found it on the page.
 */
export function takesOver(): boolean {
  const element = elementOf(getCurrentInstance());
  return element !== undefined && !unmounted.has(element);
}

const elementOf = (instance: ComponentInternalInstance | null): object | undefined =>
  (instance?.vnode.el as object | null | undefined) ?? undefined;

/**
 * Returns a function that says whether the component takes over what a server rendered: until it is mounted it shows what the
 * server did.
 * @param whenMounted called when it has taken over; not where it does not
 */
export function hydrationOf(whenMounted: () => void): () => boolean {
  let isHydrating = takesOver();
  if (isHydrating)
    onMounted(() => {
      isHydrating = false;
      whenMounted();
    });
  return () => isHydrating;
}
