// Copy-on-write drafts. A change sees ordinary mutable data; underneath, every container that it reaches is one node,
// which copies its container at the first edit. When the change has ended, the nodes are folded into the next state:
// what was not edited keeps its identity.
//
// The rules that make the corners come out right:
// - A node belongs to a place, not to an object: one object that stands at two places of the state is two values.
// - Within a change, a draft that is put elsewhere stays the same mutable thing, as a plain object would.
// - New data put into the state is never edited in place: it may be the payload, which belongs to the history.
// - A draft works only while its change runs.
import { KnownTouches, type Touch, type Touches } from '../data/touches.js';
import { KEYED, isKeyed } from '../data/keyed.js';
import { isContainer, type Branch, type Container } from '../data/plain.js';
import { ListNode } from './list-node.js';
import { DraftNode } from './node.js';
import { withoutDrafts } from './settling.js';

/** As many drafts are gone through, more are found by what they became. */
const FEW = 16;

/**
 * One change of one store: its drafts, and what came of it. A production build uses the same one for all changes of a
 * store in a runtime, with the same root draft: making a proxy costs more than a small change. All other drafts are new
 * in each change, so that a leaked draft reaches at most the root of its own store in a later change; in a development build the
 * root is new too, and a leaked draft is an error.
 */
export class Editing implements Touches {
  /** Another number for each change; 0 when none runs. A draft knows the number of its own. */
  serial = 0;
  private runs = 0;
  /** The draft that was edited last; each knows the one before. */
  last: DraftNode | undefined;
  /** How many were edited, and what they became once that is asked for and they are many. */
  private edits = 0;
  private results: KnownTouches | undefined;
  /** What the change may have made copies of. */
  private copies: Set<object> | undefined;
  private root: DraftNode | undefined;
  /** A state without parts, which can only be replaced. */
  private leaf: unknown;
  /** What the change returned, with no draft left in it; `undefined` when it returned nothing or the draft itself. */
  returned: unknown;
  /** Whether the draft was edited at all, even to no effect. */
  edited = false;

  /**
   * Runs a change on a draft of `base` and folds the result; the caller judges what was returned.
   * A `base` that is not a container is handed over as it is, and can only be replaced by returning another value.
   */
  run(base: unknown, change: (draft: never, payload: never) => unknown, payload: unknown): void {
    this.serial = ++this.runs;
    this.last = this.results = this.copies = undefined;
    this.edits = 0;
    try {
      const root = this.rootFor(base);
      if (root === undefined) {
        this.returned = withoutDrafts(change(base as never, payload as never));
        this.leaf = base;
        this.edited = false;
        return;
      }
      const returned = change(root.proxy as never, payload as never);
      root.fold();
      this.edited = root.changed;
      this.returned = returned === undefined || returned === root.proxy ? undefined : withoutDrafts(returned);
    } finally {
      this.serial = 0;
    }
  }

  /** The state that the edits lead to. */
  get next(): unknown {
    return this.root === undefined ? this.leaf : this.root.result;
  }

  private rootFor(base: unknown): DraftNode | undefined {
    const { root } = this;
    if (root?.isFor(base)) {
      root.restart(base as Branch);
      return root;
    }
    return (this.root = isContainer(base)
      ? this.nodeFor(base, undefined, false)
      : isKeyed(base)
        ? (base[KEYED].node(base, undefined, this, false) as DraftNode)
        : undefined);
  }

  /** Notes that a draft is edited. */
  note(node: DraftNode): void {
    node.editedBefore = this.last;
    this.last = node;
    this.edits++;
  }

  get(after: unknown): Touch | undefined {
    // A draft that was only looked at came to nothing yet, and what is gone is nothing too.
    if (after === undefined) return undefined;
    if (this.edits > FEW) return (this.results ??= this.remember(new KnownTouches())).get(after);
    for (let node = this.last; node; node = node.editedBefore) if (node.became === after) return node;
    return undefined;
  }

  /** Notes that all keys of an object were asked for. */
  copied(before: object): void {
    (this.copies ??= new Set()).add(before);
  }
  wasCopied(before: object): boolean | undefined {
    return this.last ? (this.copies?.has(before) ?? false) : undefined;
  }

  *each(): Iterable<object> {
    for (let node = this.last; node; node = node.editedBefore) if (node.became) yield node.became;
  }

  /** What is known now, for when this goes on to another change. */
  remember(into: KnownTouches): KnownTouches {
    if (this.last) into.note(this.copies ?? []);
    for (let node = this.last; node; node = node.editedBefore) {
      const { became, base, keys, moved } = node;
      if (became) into.set(became, { base, keys, moved });
    }
    return into;
  }

  /** A node of an object or a list. */
  nodeFor(base: Container, parent: DraftNode | undefined, fresh: boolean): DraftNode {
    return Array.isArray(base) ? new ListNode(base, parent, this, fresh) : new DraftNode(base, parent, this, fresh);
  }
}
