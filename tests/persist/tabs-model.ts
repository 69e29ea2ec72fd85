// The protocol of the tabs, small enough to read: one store whose state is a list of notes, and tabs that add to it.
//
// What each side may assume: what one tab sends reaches every other one, in the order in which it was sent; a tab that is
// given the lock has heard everything that was sent before; only the holder of the lock orders and writes.
// What each side must not assume: that the leader before has stored what it ordered, that every tab has heard the same of
// it, that a tab that is asked answers.

/** A line is the order that one leader began; its number is greater than that of every line before. */
interface Order {
  readonly line: number;
  readonly notes: readonly string[];
}

type Message =
  /** I am about to lead: what do you know of the order? */
  | { readonly says: 'takes'; readonly from: number }
  | { readonly says: 'knows'; readonly from: number; readonly to: number; readonly order: Order }
  /** This is the order from now on. */
  | { readonly says: 'leads'; readonly from: number; readonly order: Order }
  /** What is the order? */
  | { readonly says: 'hello'; readonly from: number }
  /** The next in the order, please; and what is next. */
  | { readonly says: 'proposed' | 'ordered'; readonly from: number; readonly line: number; readonly note: string };

interface Tab {
  readonly role: 'asking' | 'taking' | 'leading' | 'following';
  /** It has not read the storage yet: what it hears of the order it cannot use. */
  readonly isReading: boolean;
  readonly leader: number | undefined;
  /** The last order that it heard of; of line 0, what was stored when it began. */
  readonly order: Order;
  /** What it did, and no leader has ordered yet. */
  readonly pending: readonly string[];
  readonly inbox: readonly Message[];
  /** While it takes the lead: who has said what it knows. */
  readonly notified: readonly number[];
}

export interface World {
  /** Nothing in the place of a tab that is gone. */
  readonly tabs: readonly (Tab | undefined)[];
  readonly queue: readonly number[];
  readonly holder: number | undefined;
  readonly stored: readonly string[];
}

/**
 * `read`: a tab has read the storage. `store`: the leader has stored everything that it ordered. `wait`: a tab that takes the
 * lead looks again who is there.
 */
export type Event =
  readonly ['do' | 'read' | 'deliver' | 'close' | 'crash', tab: number] | readonly ['grant' | 'store' | 'wait'];

export interface Rules {
  /** Who is about to lead asks the others what they know. */
  readonly asksOthers: boolean;
}

/** Three tabs: the first leads, the third follows, and the second still reads the storage; it is the next to lead. */
export function threeTabs(): World {
  const order: Order = { line: 1, notes: [] };
  const all = { leader: undefined, order, pending: [], inbox: [], notified: [], isReading: false };
  return {
    tabs: [
      { ...all, role: 'leading' },
      { ...all, role: 'asking', order: { line: 0, notes: [] }, isReading: true },
      { ...all, role: 'following', leader: 0 },
    ],
    ...{ queue: [1, 2], holder: 0, stored: [] },
  };
}

/** What can happen next. */
export function events({ tabs, queue, holder }: World, notes: number): readonly Event[] {
  const there = [...tabs.keys()].filter((i) => tabs[i]);
  const leader = holder === undefined ? undefined : tabs[holder];
  return [
    ...there.flatMap((i): Event[] => (tabs[i]!.inbox.length > 0 ? [['deliver', i]] : [])),
    ...there.flatMap((i): Event[] => (tabs[i]!.isReading ? [['read', i]] : [])),
    // Who does how much makes no difference in kind.
    ...there.flatMap((i): Event[] => (notes < 3 ? [['do', i]] : [])),
    ...(holder === undefined && queue.length > 0 ? [['grant'] as const] : []),
    ...(leader?.role === 'leading' ? [['store'] as const] : []),
    ...(leader?.role === 'taking' ? [['wait'] as const] : []),
    ...(there.length > 1
      ? there.flatMap((i): Event[] => [
          ['close', i],
          ['crash', i],
        ])
      : []),
  ];
}

/** What comes of an event. @param note what is noted, where something is done */
export function after(world: World, [what, which]: Event, note: string, rules: Rules): World {
  const { holder } = world;
  if (what === 'do') return act(world, which!, note);
  if (what === 'deliver') return deliver(world, which!, rules);
  if (what === 'grant') return grant(world, rules);
  if (what === 'store') return { ...world, stored: world.tabs[holder!]!.order.notes };
  if (what === 'wait') return taken(world, holder!, rules);
  if (what === 'read') return read(world, which!, rules);
  const { role, order, pending } = world.tabs[which!]!;
  const last = what === 'close' && role === 'leading' ? { stored: order.notes } : {};
  // A tab that closes before it knows the leader waits for its turn; here it has done nothing then.
  if (what === 'close' && role !== 'leading' && role !== 'following' && pending.length > 0) return world;
  return {
    ...{ ...world, ...last, tabs: world.tabs.map((tab, i) => (i === which ? undefined : tab)) },
    queue: world.queue.filter((i) => i !== which),
    holder: holder === which ? undefined : holder,
  };
}

const change = (world: World, which: number, part: Partial<Tab>): World => ({
  ...world,
  tabs: world.tabs.map((tab, i) => (i === which ? { ...tab!, ...part } : tab)),
});

const send = (world: World, message: Message): World => ({
  ...world,
  tabs: world.tabs.map((tab, i) => (i === message.from ? tab : tab && { ...tab, inbox: [...tab.inbox, message] })),
});

/** Something is done in a tab: the leader orders it, a follower proposes it, any other one keeps it for later. */
function act(world: World, which: number, note: string): World {
  const { role, order, pending } = world.tabs[which]!;
  const { line, notes } = order;
  if (role === 'leading')
    return send(change(world, which, { order: { line, notes: [...notes, note] } }), {
      ...{ says: 'ordered', from: which, line, note },
    });
  const done = change(world, which, { pending: [...pending, note] });
  return role === 'following' ? send(done, { says: 'proposed', from: which, line, note }) : done;
}

/** The next in the queue gets the lock. It has heard what was sent before; then it asks what it may not have heard. */
function grant(world: World, rules: Rules): World {
  const [holder, ...queue] = world.queue;
  let now: World = { ...world, queue, holder };
  while (now.tabs[holder]!.inbox.length > 0) now = deliver(now, holder, rules);
  now = change(now, holder, { role: 'taking', notified: [] });
  return taken(rules.asksOthers ? send(now, { says: 'takes', from: holder }) : now, holder, rules);
}

/** A tab that has the lock leads as soon as it knows what is stored, and what the others know. */
function taken(world: World, which: number, { asksOthers }: Rules): World {
  const { role, notified, isReading } = world.tabs[which]!;
  const knows = !asksOthers || world.queue.every((other) => notified.includes(other));
  return role === 'taking' && knows && !isReading ? lead(world, which) : world;
}

function read(world: World, which: number, rules: Rules): World {
  const { order } = world.tabs[which]!;
  const known = order.line > 0 ? order : { line: 0, notes: world.stored };
  const now = change(world, which, { isReading: false, order: known });
  return taken(send(now, { says: 'hello', from: which }), which, rules);
}

/** What a tab knows, and else what is stored, is the order from now on; what it did comes on top. */
function lead(world: World, which: number): World {
  const { order, pending } = world.tabs[which]!;
  const known = order.line > 0 ? order.notes : world.stored;
  const notes = [...known, ...pending.filter((note) => !known.includes(note))];
  // Tabs number lines by the clock.
  const last = Math.max(...world.tabs.map((tab) => tab?.order.line ?? 0));
  const next: Order = { line: last + 1, notes };
  return send(change(world, which, { role: 'leading', leader: undefined, order: next, pending: [] }), {
    ...{ says: 'leads', from: which, order: next },
  });
}

function deliver(world: World, which: number, rules: Rules): World {
  const [message, ...inbox] = world.tabs[which]!.inbox;
  const now = change(world, which, { inbox });
  const { role, order, pending, notified, leader, isReading } = now.tabs[which]!;
  const { from } = message;
  if (message.says === 'takes') return send(now, { says: 'knows', from: which, to: from, order });
  if (message.says === 'knows') {
    if (message.to !== which || role !== 'taking') return now;
    const { line, notes } = message.order;
    const isBetter = line > order.line || (line === order.line && notes.length > order.notes.length);
    const best = isBetter ? message.order : order;
    return taken(change(now, which, { notified: [...notified, from], order: best }), which, rules);
  }
  if (message.says === 'hello') return role === 'leading' ? send(now, { says: 'leads', from: which, order }) : now;
  if (isReading) return now;
  if (message.says === 'leads') {
    if (role === 'leading' || message.order.line < order.line) return now;
    return follow(now, which, message.order, from);
  }
  if (message.line !== order.line) return now;
  const { line, note } = message;
  const notes = order.notes.includes(note) ? order.notes : [...order.notes, note];
  if (message.says === 'proposed')
    return role === 'leading'
      ? send(change(now, which, { order: { line, notes } }), { says: 'ordered', from: which, line, note })
      : now;
  if (leader !== from) return now;
  return change(now, which, { order: { line, notes }, pending: pending.filter((one) => one !== note) });
}

/**
 * What this tab did, and the leader has not ordered, is proposed once more. What others did, and only this tab has heard, is
 * a state to it: it is proposed where the leader's has not gone another way.
 */
function follow(world: World, which: number, order: Order, leader: number): World {
  const tab = world.tabs[which]!;
  const isBehind = order.notes.every((note, i) => tab.order.notes[i] === note);
  const unknown = tab.order.line > 0 && isBehind ? tab.order.notes : [];
  const pending = [...unknown, ...tab.pending].filter((note) => !order.notes.includes(note));
  const now = change(world, which, { role: 'following', leader, order, pending });
  return pending.reduce((done, note) => send(done, { says: 'proposed', from: which, line: order.line, note }), now);
}

/** Everything is delivered, and everything granted, until no message is left; what is ordered is stored. */
export function settled(world: World, rules: Rules): World {
  let now = world;
  for (;;) {
    const next = events(now, Infinity).find(
      ([what]) => what !== 'do' && what !== 'store' && what !== 'close' && what !== 'crash',
    );
    if (!next) return after(now, ['store'], '', rules);
    now = after(now, next, '', rules);
  }
}
