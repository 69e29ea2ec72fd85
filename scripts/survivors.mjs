// Why no test notices some mutants: for each file of the core the lines as they are written, and what makes the mutants in
// them come to the same, or to nothing that a test could ask for. `npm run test:mutants` looks for a reason for each survivor
// here, and writes docs/survivors.md.

const shortcut = 'A shortcut: without it the same comes out of what follows, later.';
const bound = 'A bound on what is kept or tried: one more or one fewer is as good.';
const words = 'Only part of a message.';
const types = 'Cannot happen; it is there for the compiler.';

export const survivors = {
  action: {
    "const text = String(change).replace(/\\/\\*[^]*?\\*\\/|\\/\\/.*/g, '');":
      'What stands in the place of a comment has neither comma nor bracket.',
    "if (depth === 0 && text.startsWith('=>', i)) return false;": 'Two letters later comes to the same.',
    'if (change.length > 1) return true;': `${shortcut} The text says so too.`,
    'for (let i = 0; i < text.length; i++) {': 'Behind the end there is no letter to look at.',
    'return false;': `${types} The text of a function has parentheses around its parameters, or an arrow.`,
  },
  answers: {
    'if (this.declarations !== declared) {': shortcut,
    'if (known && (maker === undefined || known.maker === maker)) return known;':
      'It only matters where two creators of one type belong to two stores, of which one has not joined yet.',
    'const isAlone = stores.length === 1 && only.changes.length === 1 && tasks.length === 0;': `${shortcut} One change of one store has a short way.`,
  },
  context: {
    'if (runs.host.recorded && (run_.saw ??= []).length < MOST_SEEN) run_.saw.push([what, value]);': bound,
  },
  diff: {
    "if (typeof after !== 'object' || typeof before !== 'object') return Object.is(before, after);": shortcut,
    "if (m === 0) return Array<string>(n).fill('-');": shortcut,
    'if (touch && !touch.moved && touch.base === before) {': `${shortcut} What the draft touched only says where to look; in an object nothing moves.`,
    'if (hasOwn(before, key)) this.remove(at, before[key]);': `${types} A touched key that neither state has was dropped when the draft was folded.`,
    'for (const key of touch.keys ?? []) this.property(before, after, key, path);': types,
    'const { keys = [] } = touch;': types,
    'if (before.size > changed.length + removed.length) this.common++;':
      'The number is only ever compared with the same number from before: any other one will do.',
    'if (before[from] === after[to]) this.common++;': `${shortcut} The comparison counts it too.`,
    'const zero = most + 1;':
      'The outermost diagonals lead to the end only where one side is empty, and that is told before.',
    "if (n === 0) return Array<string>(m).fill('+');": "Whatever is neither '=' nor '-' is taken for a '+'.",
    'const down = k === -d || (k !== d && reach[zero + k - 1] < reach[zero + k + 1]);':
      'Beyond the outermost diagonal stands 0, which is never more than what is left of it.',
    'const down = k === -d || (k !== d && row[zero + k - 1] < row[zero + k + 1]);':
      'Beyond the outermost diagonal stands 0, which is never more than what is left of it.',
    "if (2 * (n + m) <= before.length) return [...Array<string>(n).fill('-'), ...Array<string>(m).fill('+')];": `${bound} Whatever is neither '=' nor '-' is taken for a '+'.`,
    'for (let i = start; i < start + count; i++) if (!this.alike(before[i], after[i])) return false;':
      'The items behind the middle are the same on both sides.',
    "script.push(down ? '+' : '-');": "Whatever is neither '=' nor '-' is taken for a '+'.",
  },
  draft: {
    'this.serial = ++this.runs;': 'Any numbers will do as long as they differ.',
    'edited = false;': 'Nobody asks before a change has run.',
    'this.returned = returned === undefined || returned === root.proxy ? undefined : withoutDrafts(returned);': `${shortcut} Nothing has no drafts in it.`,
    'if (root?.isFor(base)) {': `${shortcut} A root that is made anew does as well.`,
    'isFor(base: unknown): boolean {': `${shortcut} A root that is made anew does as well.`,
    'override isFor(base: unknown): boolean {': `${shortcut} A root that is made anew does as well.`,
    'return this.madeOf(base) || (isContainer(base) && !Array.isArray(base));': `${shortcut} A root that is made anew does as well; what the last change made is a container.`,
    'protected madeOf(base: unknown): boolean {': `${shortcut} What the last change made is a container: the other question tells it, too.`,
    'return this.result !== undefined && base === this.result;': `${shortcut} What the last change made is a container: the other question tells it, too.`,
    '? base[KEYED].node(base, undefined, this, false)': 'What is looked through once more for drafts has none.',
    'this.edits++;': `${bound} The map and the chain say the same.`,
    'if (this.edits > FEW) return (this.results ??= this.remember(new Map<unknown, Touch>())).get(after);': `${bound} The map and the chain say the same.`,
    'if (after === undefined) return undefined;': `${shortcut} Nothing is told of what has gone anyway.`,
    'if (became) into.set(became, { base, keys, moved });': `${shortcut} What was touched only says where to look, and who asks compares the base.`,
    'return this.fresh || this.result === this.base ? undefined : this.result;':
      'Who asks compares the base, and looks at the whole where it is another one.',
    "protected kidKey = '';": 'Looked at only where there is a kid.',
    'private kidIndex = -1;': 'Looked at only where there is a kid.',
    'return this.moreKeys ?? (this.key === undefined ? undefined : [this.key]);':
      'Under the key that is none is nothing, before and after.',
    '} else if (this.manyKeys) {': `${shortcut} The list says it too.`,
    '} else if (!moreKeys.includes(key) && moreKeys.push(key) > 16) this.manyKeys = new Set(moreKeys);': bound,
    'return this.kid !== undefined && this.kidKey === key ? this.kid : this.kids?.get(key);':
      'Without an inline kid, or with another key, the map has it or nobody has.',
    'return this.kid !== undefined && this.kidIndex === index ? this.kid : this.kidList?.[index];':
      'Without an inline kid the list has it or nobody has.',
    'if (this.kid === undefined || this.kidKey === key) {':
      'A kid may stand inline or in the map: it is found in either.',
    'if (this.kid === undefined || this.kidIndex === index) {':
      'A kid may stand inline or in the list: it is found in either.',
    '(this.kidList ??= [])[index] = kid;': 'A text is no draft of anything.',
    '(this.kidIndexes ??= []).push(index);': 'Under an index that is a text stands no draft.',
    "return typeof value === 'function' ? inheritedOrOwn(source, key) : value;": `${shortcut} What is own comes out as it is.`,
    "return typeof value === 'function' ? inheritedOrOwn(this.source as Container, key) : value;": `${shortcut} What is own comes out as it is.`,
    'return value === null ? value : hasOwn(source, key) ? this.wrap(key, value) : undefined;': `${shortcut} Nothing has no parts: it comes out as it is.`,
    "if (typeof value === 'object' && value !== null)": `${shortcut} What has no parts comes out as it is.`,
    "return typeof value === 'object' && value !== null ? this.wrapItem(index, value) : value;": `${shortcut} What has no parts comes out as it is.`,
    "return typeof value === 'object' && value !== null ? (this.below(value)?.proxy ?? value) : value;": `${shortcut} What has no parts comes out as it is.`,
    'if ((this.copy !== undefined || this.fresh) && nodeOf(value)) return undefined;': `${shortcut} What came out of the state is no draft.`,
    'return this.fresh || (this.copy !== undefined && (this.base as Record<string, unknown>)[key!] !== value);': `${shortcut} What is taken for new is looked through for drafts, and has none.`,
    'if (this.fresh) return true;': `${shortcut} What holds it is new, and looked through as a whole.`,
    'return !this.moved || !(this.items ??= new Set(this.base as unknown[])).has(value);': `${shortcut} What is taken for new is looked through for drafts, and has none.`,
    'if (inner && (inner.editing !== this.editing || inner.serial !== this.serial)) throw draftEnded(key);':
      'Folding refuses a draft of another change with the same error.',
    '? inner === kid || value === old': `${shortcut} Folding finds that it is the same.`,
    ': !kid?.changed && same(old, value) && (old !== undefined || hasOwn(source, key))': `${shortcut} Folding finds that it is the same.`,
    'if (kid) this.dropKid(key);': 'Where there is none, none is dropped.',
    'if (!this.changed && !this.fresh) return (this.result = this.base);': `${shortcut} Without a copy the base comes out.`,
    'if (value !== kid.base) put((this.copy ??= this.copied()), key, value);':
      'The same value put in its place once more.',
    'if (!kid.changed && !kid.fresh) return;': `${shortcut} Folding it comes to its base.`,
    'if (kid.changed || kid.fresh) this.foldKid(String(index), kid);': `${shortcut} Folding it comes to its base.`,
    'if (!kid.fresh) this.touchKey(key);': 'A key that was touched is not touched twice.',
    'const direct = this.key !== undefined;': `${shortcut} Touched keys are compared once more.`,
    'if (kid && !kid.fresh) return kid.fold() !== kid.base;': `${shortcut} Comparing what came of it with what was there says the same.`,
    "if (typeof value !== 'object' && value !== undefined) return !Object.is(base[key], value);": `${shortcut} What is for absent keys and containers does for primitives too.`,
    "if (typeof value !== 'object' || value === null) return value;": `${shortcut} What is no container comes out as it is.`,
    "alive(node, 'value');": words,
    "alive(this, 'items');": words,
    'if (!isContainer(value)) return value;': `${shortcut} A Date, a Map or a Set has no keys to look at.`,
  },
  'draft-faces': {
    "if (found && typeof key === 'string' && found.enumerable) {": `${types} State has no symbols as keys.`,
    "alive(node, 'keys');": words,
    "alive(target[0], 'keys');": words,
    "alive(node, 'items');": words,
    'return key === Symbol.iterator ? listMethods.values : (node.source as unknown as Record<symbol, unknown>)[key];': `${shortcut} The iterator of any array gives the same items.`,
    'if (next < length) node.settle().length = next;': 'The same length set once more: folding finds no difference.',
    "} else if (Number(key) > length) throw notPlain('The state after this change', `/${length}`, 'hole');": words,
    'if (length === 0) return undefined;': `${shortcut} The last of none is nothing, and folding finds no difference.`,
    "defineProperty: refuse('define a property with attributes', DEV && 'assign a value instead'),": words,
  },
  model: {
    'private readonly answering = new Answering(this.slots, (store) => this.add(store));': `${types} The stores that answered when it was recorded are among those that are given.`,
    'private readonly changing = new Changing(false);': 'A change that is pure passes the check.',
    'if (!this.slots.has(store.name)) this.slots.set(store.name, makeSlot(store, undefined, true));':
      'A slot that is made anew does as well, and nobody asks here whether it was told of.',
    'if (alone) {': `${shortcut} One change of one store has a short way.`,
    'if (after !== before) changed.push({ store, before, after });': `${shortcut} Where both are the same, no difference is found.`,
    'if (slot) changed.push({ store: slot.store, after: states[name] });': `${types} The stores that changed are among those that are given.`,
  },
  pointer: {
    "if (!token.includes('~')) return token;": shortcut,
  },
  'list-reads': {
    'through(this, fn, self, () => false);': 'Nothing is as good as false.',
    'through(this, fold, undefined, () => false);': 'Nothing is as good as false.',
    'const results: unknown[] = [];': 'Its length is set, and each place up to it.',
  },
  encode: {
    'value === undefined ? { [TAG]: type } : { [TAG]: type, value };': 'JSON leaves a member out that is undefined.',
    'default:': 'An empty case before the default falls through to it.',
    'if (value === null) return value;': `${shortcut} It is no container either.`,
    "if (isDate(value)) return tagged('date', Number.isNaN(value.getTime()) ? 'invalid' : value.toISOString());":
      'Any text that is no date makes an invalid date again.',
    'if (!isContainer(value)) return value;': 'State is plain data: nothing else is left here.',
    'if (!keyedMaker.make) throw badSnapshot("it holds a table: import \'floe/entities\' first");':
      'All suites of a mutation run stand in one file, and some of them import tables; `tests/package/bundle.test.ts` has it.',
    'if (Object.is(next, value[i])) continue;': `${shortcut} NaN and -0 are encoded before.`,
    'if (Object.is(next, value[key])) continue;': `${shortcut} NaN and -0 are encoded before.`,
  },
  ends: {
    'private readonly list: (Informed | undefined)[] = [];': 'What stands behind the count is not looked at.',
    "const otherOf = ({ state, told }: Slot) => ({ state, told, place: new Place(undefined, '') });":
      'The key of a place is looked at by the place above it, and there is none.',
  },
  graph: {
    'reads(fits: (port: Port) => boolean): boolean {': `${shortcut} What is looked through has no stand-ins in it.`,
    'return (this.first !== undefined && fits(this.first)) || (this.rest?.ports.some(fits) ?? false);': `${shortcut} What is looked through has no stand-ins in it; that nothing else is passed over is asked in \`tests/core/tracking.test.ts\`.`,
    'return (this.rest ??= { ports: [], versions: [], dropped: undefined });':
      'A version stands at the number of its source: what stood there before is not looked at.',
    'if (first !== undefined) {': `${types} Who may be stale has read something.`,
    'const run = (this.run = ++runs);': 'Any numbers will do as long as they differ.',
    'const kept = run === runs ? undefined : new Set(rest.ports).add(this.first!);': `${shortcut} The set says the same.`,
    'more?.delete(reader);': `${types} Only who reads is detached.`,
    'get effect(): boolean {': 'Nothing is as good as false.',
    'protected equal(_before: unknown, _after: unknown): boolean {': 'Nothing is as good as false.',
    'if (how <= state) return;': `${shortcut} What is marked so already stops at the next line but one.`,
    'if (state !== CLEAN) return;': `${shortcut} Those who read it are marked already.`,
    'if (port.seen === this.run) return;': `${shortcut} The same source stands in the list twice.`,
    'if (this.first !== port) {': `${shortcut} What is let go of and read again in one run stays attached.`,
    'if (this.first !== undefined) this.letGo(0);': `${shortcut} There is nothing to let go of.`,
    'if (rest.ports[at - 1] !== port) {': `${shortcut} What is let go of and read again in one run stays attached.`,
    'if (at <= rest.ports.length) this.letGo(at);': `${shortcut} There is nothing to let go of.`,
    'if (this.state !== CLEAN) this.refresh();': `${shortcut} What is clean is not refreshed.`,
    'let same = true;': `${types} What may have changed has read something.`,
    'if (Object.is(this.value, value) && this.version > 0) return;': 'The first version of nothing may be any number.',
    'if (this.at === 0 ? this.first !== undefined : this.rest !== undefined && this.at <= this.rest.ports.length)': `${shortcut} There is nothing to let go of.`,
    'if (this.version > 0 && !problem && !was && (Object.is(this.value, value) || this.equal(this.value, value))) return;':
      'The first version of nothing may be any number.',
  },
  plain: {
    "(Object.getPrototypeOf(proto) === null && hasOwn(proto, 'isPrototypeOf'))":
      'An object that is a prototype and has a method of this name itself is no state.',
    'proto === Object.prototype ||': `${shortcut} The prototype of objects passes the second test, too.`,
    "if ((key === 'constructor' || key === '__proto__') && !hasOwn(value, key)) return undefined;":
      'What is inherited under __proto__ is an object, and objects that are not own were told apart before.',
    'Object.defineProperty(target, key, { value, writable: true, enumerable: true, configurable: true });':
      'A copy makes ordinary properties of them, and nobody writes such a key but by defining it.',
    'if (Array.isArray(value))': `${shortcut} The keys of an array are its indices.`,
    'for (let i = 0; i < value.length; i++) {': 'Behind the end is nothing.',
    "if (typeof part === 'object' && part !== null) look(i, part);": `${shortcut} What is no object is replaced by itself.`,
    "if (typeof part === 'object' && part !== null && hasOwn(value, key)) look(key, part);": `${shortcut} What is no object is replaced by itself; state inherits nothing.`,
    "if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;": `${shortcut} What is no object has no class with a content to compare.`,
    'return !isContainer(a) && !isContainer(b) && sameLeaf(a, b);': `${shortcut} A container is no leaf.`,
    'return kind !== undefined && isKeyed(b) && kind.same(a as Keyed, b);': `${types} What is no container is a leaf or a table.`,
    'for (let i = 0; i < a.length; i++) if (!sameData(a[i], b[i])) return false;':
      'Behind the end is nothing, on both sides.',
    'if (!hasOwn(a, key)) continue;': 'State inherits nothing.',
    'for (const key in b) if (hasOwn(b, key)) more--;': 'State inherits nothing.',
    "key.includes('~') || key.includes('/') ? key.replaceAll('~', '~0').replaceAll('/', '~1') : key;": `${shortcut} There is nothing to replace.`,
    'if (DEV) checkData(value, [], new Set(), where);':
      'Tests run the development build; what is taken in from answers is checked in tests/entities.',
    'export function checkPlain(value: unknown, where: { readonly at: string; readonly what: string }): void {':
      'What is taken in from answers is checked in tests/entities.',
    "if (Array.isArray(value)) for (let i = 0; i < value.length; i++) if (!hasOwn(value, i)) refuse('hole');": `${shortcut} An object has no length to count up to.`,
    'if (!DEV || !isContainer(value) || settled.has(value) || Object.isFrozen(value)) return;': `${shortcut} What is frozen is frozen again.`,
    'if (Object.is(before, after)) return before;': `${shortcut} What is the same is the same data.`,
    'while (end <= least - start && sameData(before.at(-end), after.at(-end))) next[next.length - end] = before.at(-end++);': `${shortcut} What is between the ends is kept place by place.`,
    'for (let i = start; i <= least - end; i++) next[i] = keeping(before[i], after[i]);':
      'The last of them is the first that differs from the end, where nothing may be kept.',
  },
  reading: {
    'if (this.watched) (this.watchers ??= new Set()).add(watcher);': `${shortcut} One who watches may stand by itself or in the set.`,
    "return of.name + (args.length > 0 ? `(${args.map((arg) => JSON.stringify(arg)).join(', ')})` : '');": words,
    'if (of instanceof StoreDefinition) return;': `${shortcut} A store has no way to derive anything.`,
    'else if (!of.store && args.length === 0) this.plain = of.derive as never;': shortcut,
    "if (typeof value !== 'object' || value === null) return value;": `${shortcut} There is no stand-in in it and nothing to freeze.`,
    'if (DEV) freezeResult(result);': 'Tests run the development build.',
    'if (of instanceof StoreDefinition) return undefined;': `${types} What is whole is not derived.`,
    'return args.length === 0 ? of.derive(from) : of.derive(from, ...(args as never[]));': shortcut,
    'if (this.slot === undefined) {': `${shortcut} It is attached once.`,
    "readonly name = 'follow';": words,
    'if (recipe.bare !== NO_BARE) this.bares[recipe.bare] = entry;': `${shortcut} It is found in its group.`,
    'if (entry.inUse || group.all.get(key) !== entry) return;':
      'What is in use is passed over when room is made; what stays anyway has a group of its own.',
    'if (idle.size <= keep || entry === spare) return;': bound,
    'clear(): void {': 'A closed runtime is asked no more: it only gives memory back.',
    'this.groups = [];': 'A closed runtime is asked no more: it only gives memory back.',
    'this.bares = [];': 'A closed runtime is asked no more: it only gives memory back.',
    'private groups: (Group | undefined)[] = [];': 'Numbers begin at 1.',
    'if (recipe.of instanceof StoreDefinition && !currentReader()) return this.ground.slot(recipe.of).state;': `${shortcut} The whole of a store is its state.`,
  },
  slot: {
    "place: new Place(undefined, ''),": 'The key of a place is looked at by the place above it, and there is none.',
  },
  source: {
    'let ids = NO_BARE + 1;': 'Any numbers will do as long as they differ.',
    'export const nextId = (): number => ids++;': 'Any numbers will do as long as they differ.',
    "const { equal = 'same', keep = DEFAULT_KEEP } = options;": "Whatever is not 'deep' is the same.",
    "if (of.derive.length <= 1) marks[SOURCE] = { of, args: [], key: '', bare: of.id };":
      'A selector without arguments has one value, whatever its key.',
    "name: 'inline',": words,
    'if (key === undefined) inlineKeys.set(fn, (key = String(++inlineCount)));':
      'Any numbers will do as long as they differ.',
    'if (args.length === 1) {': `${shortcut} The key for any arguments would do.`,
    'if (typeof only === \'string\') return `"${only}"`;': `${shortcut} The key for any arguments would do.`,
    "if (typeof only === 'number') return Object.is(only, -0) ? '-0' : String(only);": `${shortcut} The key for any arguments would do.`,
  },
  tracking: {
    'hasAllOf(list: readonly unknown[]): boolean {': `${shortcut} What is looked through has no stand-ins in it.`,
    'return Array.isArray(raw) && isPartOf(list, raw);': `${shortcut} What is looked through has no stand-ins in it.`,
    'function isPartOf(list: readonly unknown[], whole: readonly unknown[]): boolean {': `${shortcut} What is looked through has no stand-ins in it.`,
    'while (at < whole.length && whole[at] !== item) at++;': `${shortcut} What is looked through has no stand-ins in it.`,
    'if (at++ === whole.length) return false;': `${shortcut} What is looked through has no stand-ins in it.`,
    'if (!above && Array.isArray(value) && currentReader()?.reads((port) => port instanceof Place && port.hasAllOf(value)))': `${shortcut} What is looked through has no stand-ins in it.`,
    "if (typeof value === 'object' && value !== null) {": `${shortcut} What has no parts is noted as it is.`,
    'if (known !== undefined || (hasPart(raw, key) && isBranch(value))) {': `${shortcut} A stand-in that was made before is found once more; data inherits no objects.`,
    "if (typeof key === 'string' && isDigit(key)) return readOfView(view, key);": shortcut,
    "return listReads[key === Symbol.iterator ? 'values' : (key as string)] ?? method;": `${shortcut} The iterator of any array gives the same items.`,
    'const [was, is] = [before.get(key), after.get(key)];': `${shortcut} The other way looks both up once more.`,
    'this.above?.forget(this.key);': types,
    'for (const key of touch.keys ?? []) this.parts.get(key)?.within(before, after, touches);': types,
    'if (!this.keys && !this.parts) return;': `${shortcut} There is nobody to tell.`,
    'for (const key of touch.keys ?? []) this.parts?.get(key)?.changed(before.get(key), after.get(key), touches);':
      types,
    'const most = this.keys || !this.parts ? Infinity : this.parts.size;': `${shortcut} Both ways tell the same readers.`,
    'if (was !== undefined && is !== undefined) part.changed(was, is, touches);': `${shortcut} The other way looks both up once more.`,
    'if (reader && this.keysRun !== reader.run) this.partFor(key, reader.run)?.notePresence();': `${shortcut} Who has listed the keys runs again at a new one anyway.`,
    'if (!reader) return;': `${types} Stand-ins are read in selectors.`,
    'if (this.count > MOST_PARTS) return true;': `${shortcut} It depends on the whole already, and notes it once more.`,
    'return true;': `${shortcut} It depends on the whole already, and now on the part as well.`,
    'if (!this.parts && !this.keys && !this.size) return;': `${shortcut} There is nobody to tell.`,
    'if (!isContainer(after) && isKeyed(before) && isKeyed(after)) return this.tableChanged(before, after, touches);':
      'Who reads in a table has read that it is one, and is told when something else comes in its place.',
    'if (touch && !touch.moved && touch.base === before && (touch.keys?.length ?? 0) < this.parts.size) {': `${shortcut} What was touched only says where to look.`,
    "if (Array.isArray(after)) this.parts.get('length')?.within(before, after, touches);": `${shortcut} What did not change tells nobody.`,
    'if (touch && !touch.moved && touch.base === before) {': `${shortcut} What was touched only says where to look; rows that came or went count as moved.`,
    'for (const keys of [removed, added]) for (const key of keys) this.parts?.get(key)?.within(before, after, touches);':
      types,
    'if (!isContainer(before) || !isContainer(after)) return false;':
      'Who lists keys has read what kind of thing has them.',
    'if (Array.isArray(before)) return Array.isArray(after) && before.length === after.length;': `${shortcut} The keys of an array are compared like others.`,
    "if (typeof key === 'symbol' || (found && !found.enumerable)) {": `${types} State has no symbols as keys, and only a length is not enumerable.`,
    "if (key === 'length') readOfView(view, key);": types,
    "if (typeof key === 'string' && (hasOwn(view.raw, key) || !(key in view.raw))) view.place.notePresenceOf(key);": `${shortcut} What is inherited is there before and after.`,
    "get: (view, key) => (typeof key === 'string' ? readOfView(view, key) : key === NODE ? view : undefined),": types,
    "if (!inherited) return typeof key === 'string' ? readOfView(view, key) : undefined;": types,
    "typeof method === 'function' &&": `${types} What is inherited from arrays is a method.`,
    ') {': `${shortcut} The method reads one item after the other.`,
    "if (typeof value !== 'object' || value === null) return value;": `${shortcut} What is no object comes out as it is.`,
    'this.parts?.delete(key);': types,
    'if (this.parts?.size === 0) {': 'It only gives memory back.',
  },
  settlement: {
    'if (provisional.trim() && !provisional.leadsTo((slot) => slot.state))': `${shortcut} What came before the first open one leads to the same states.`,
    'provisional.keep(() => false, this.host.storeSlots());': 'Nothing is as good as false.',
    'private letGo(): void {': `${shortcut} The way for what is open does for all actions.`,
    'if (this.provisional && !this.provisional.trim()) this.provisional = undefined;': `${shortcut} The way for what is open does for all actions.`,
    'const after = new Map([[slot, slot.state]]);': 'What is held has the state of the base until it is filled.',
    'return this.provisional !== undefined;': `${shortcut} The way for what is open does for all actions.`,
    'if (optimistic) this.open();': 'It only keeps more, until something is confirmed or taken back.',
    'let onLine = true;':
      'The first entry is an optimistic action, or a state that is still being read: there is no fact before it.',
    'if (!entry.open || !provisional) return undefined;': `${types} The runtime asks for open ones only.`,
    'if (after !== slot.state) changed.push(slotChange(slot, after));':
      'What is the same has no patch and tells nobody.',
    'problems.push(...brokenBy(changed, more.action?.type ?? type));': words,
    "if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${type}'` });":
      'What is computed or read was looked at when it was; here it is looked at once more as a whole.',
    'slot.told ||= host.recorded;': 'What is open has been told of.',
  },
  optimistic: {
    'if (first > 0) this.entries = this.entries.slice(first);': shortcut,
    'return this.entries.length > 0;': `${shortcut} The way for what is open does for all actions.`,
    'for (; first < this.entries.length && !this.entries[first].open; first++) {': 'It only gives memory back.',
    'return this.entries.find(({ open }) => open)?.transition;': `${types} Asked for while something is open.`,
    'if (!entry.open) entry.within = new Set([...(entry.within ?? []), ...states.keys()]);':
      'A text is no place: nothing is looked up under it.',
    'if (!action && within) after = new Map(Array.from(after).filter(([slot]) => !within.has(slot)));':
      'Not told apart here: a fact on top of a state from a storage or a tab is in `tests/persist/tabs.property.test.ts`.',
  },
  run: {
    "return (this.cancelError ??= runCancelled(this.task.name, this.reason ?? 'cancelled'));": words,
    "return { id, task: task.name, args, phase, ...(saw && phase !== 'running' && { saw }) };":
      'At its beginning a run has seen nothing.',
    'return () => void all.delete(pending);':
      'It only gives memory back: what has come can be stopped once more, to no effect.',
    'if (!pending || pending.size === 0) return;': `${shortcut} There is nobody to tell.`,
  },
  changing: {
    'if (DEV && after !== before)': `${shortcut} What is as before was looked at before.`,
    'if (DEV) slot.editing = new Editing();': 'Tests run the development build.',
    'if (returned === undefined) {': `${shortcut} What was touched only says where to look.`,
    'if (touches) editing.remember(touches);': `${shortcut} What was touched only says where to look.`,
    'if (changes.length > 1 && after !== before && sameData(before, after)) return before;': `${shortcut} One change says itself whether it came to nothing.`,
  },
  interceptor: {
    "else stop('not confirmed');": words,
    "if (ended) throw closed(`proceed for '${action.type}'`);": words,
    "result = 'waiting';": 'Any text will do until the result is known.',
  },
  patch: {
    'if (cause instanceof FloeError) this.fail(path, messageOf(cause));': `${types} A pointer is refused with an error of Floe.`,
    "if (typeof operation !== 'object' || operation === null) this.fail('', 'it is not an object');": words,
    "const from = this.keys(operation.from, 'from');": words,
    'if (operation.path === operation.from) return;': `${shortcut} Taken out and put in at the same place it is where it was.`,
  },
  engine: {
    'if (slot && (slot.store === store || this.retired.has(store) || store.internal)) return slot;': `${shortcut} Joining finds that the store is there.`,
    "guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });": words,
    'if (after !== before) changed.set(slot, after);': `${shortcut} The same state once more.`,
    "this.open('run');": words,
    'if (this.recorded) {': `${shortcut} There is nobody to tell.`,
    'if (this.notifying || this.held > 0 || (this.ends.due.count === 0 && this.queue.length === 0)) return;': `${shortcut} There is nobody to tell and nothing to do.`,
    "if (this.ended) throw closed('read');": `${types} A closed runtime refuses to read before.`,
    "return this.options.invariants ?? 'report';": "Whatever is not 'refuse' reports.",
    "for (const { name } of fresh) if (names.size === names.add(name).size) throw nameTaken('The store', name);": words,
    "guardData(stored, { at: '', what: `The stored state of '${store.name}'` });": words,
    "guardData(state, { at: '', what: `The stored state of '${slot.store.name}'` });": words,
    "guardData(after, { at: '', what: `The state of '${store.name}'` });": words,
    "guardData(state, { at: '', what: `The restored state of '${name}'` });": words,
    "guardData(after, { at: '', what: `The initial state of '${store.name}'` });": words,
    "for (const { store, after } of changes) guardData(after, { at: '', what: `The state of '${store.name}'` });":
      words,
    "if (DEV) guardData(after, { at: '', what: `The status of '${task.name}'` });": words,
    "if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });":
      'Tests run the development build; that it is frozen and refused is asked of actions that are recorded, too.',
    'if (DEV && after !== before)': `${shortcut} What is as before was looked at before.`,
    "if (rehydrated.length > 0) this.tellFact('rehydrated', rehydrated, 'storage');":
      '`tests/persist` looks at who did it.',
    'if (this.ended) return;': `${shortcut} Nobody is left to tell.`,
    'if (this.still) return;': `${shortcut} What begins is asked for once more where tasks begin.`,
    'this.still = options[STILL] === true;':
      '`tests/trace/replay.test.ts` computes old actions anew, with no task beginning.',
    'interceptors: this.interceptors.slice(),': 'Only one that takes another out while it decides could tell.',
    'if (passed !== action) checkAction(passed);': `${shortcut} What was dispatched was looked at already.`,
    'if (this.interceptors.length === 0) return this.apply(action, cause, by);': `${shortcut} Nobody to ask lets it through.`,
    'const why = by?.stopped?.();': types,
    'if (this.recorded)': `${shortcut} There is nobody to tell.`,
    'const time = started === undefined || this.options.clock ? this.now() : this.timeOf(started);':
      "The host's clock is asked once a millisecond at most, which a test cannot hold.",
    'const since = reading - this.timed.reading;':
      "The host's clock is asked once a millisecond at most, which a test cannot hold.",
    'if (since >= 1 || since < 0) this.timed = { reading, time: this.now() };':
      "The host's clock is asked once a millisecond at most, which a test cannot hold.",
    'private timed = { reading: -Infinity, time: 0 };':
      "The host's clock is asked once a millisecond at most, which a test cannot hold.",
    'const recorded = this.listeners.length > 0;': `${shortcut} There is nobody to tell.`,
    'if (alone && !by && !this.group && !this.settlement.isOpen && alone.slot.store.invariants.length === 0)': `${shortcut} The long way does the same.`,
    'if (changed.length > 0 && !this.group) broken = brokenBy(changed, type);': `${shortcut} What did not change breaks no rule.`,
    'slot.told ||= recorded;': 'Somebody who records has been told when the store joined.',
    'slot.place.changed(before, after, touches ?? slot.editing);': `${shortcut} What was touched only says where to look.`,
    'if (this.runs.listens) this.heard(action, NO_TASKS, undefined);': `${shortcut} There is nobody to hear it.`,
    'if (after !== before) {': `${shortcut} What is the same tells nobody.`,
    "if (isThenable(result)) throw asyncInAtomic('waiting');": words,
    "const broken = brokenBy(changed, 'atomic');": words,
    "if (fact === 'joined' || fact === 'rehydrated') this.tell(transition);":
      'A store that is read from a storage in a group that fails: `tests/persist/later.test.ts` has it outside of groups.',
    "if (this.ends.unseen) throw wrongPlace('moving in time', 'what happens unseen at the live end');": words,
    'if (!live) this.ends.part();': `${shortcut} What is parted is joined again.`,
    'if (store.internal) this.runs.endLost(store, state as Statuses);': `${types} Only statuses have runs in them.`,
    'return transition !== undefined && this.listeners.every((listener) => listener.isShown?.(transition) ?? true);':
      types,
    'for (const slot of this.slots.values()) if (!slot.store.internal) yield slot;':
      'It only keeps more: no action changes a status.',
    'if (!entry.open || this.ended) return;': `${shortcut} The settlement asks once more.`,
    "if (this.moving) return this.runs.neverStarted(call, 'travel');": words,
    'if (!this.notifying) this.beHere();': `${shortcut} While watchers are told of the past nothing begins.`,
    'return this.listeners.length > 0;': `${shortcut} There is nobody to tell.`,
    'return this.ended || run.reason !== undefined ? fn() : this.atLive(() => this.atomic(fn));':
      'A group of actions that are all stopped is a group of nothing.',
    'if (entry) run.open?.delete(entry);': 'It only gives memory back: what is settled is settled once.',
    'run.open?.delete(entry);': 'It only gives memory back: what is settled is settled once.',
    'transition = this.ofFact(fact, changed, cause, { run, ...(reason !== undefined && { reason }) });':
      'A member that is undefined says nothing.',
    'const by = more?.cause?.by;': types,
    "if (this.ends.unseen || (this.ends.showsPast && (fact === 'joined' || fact === 'rehydrated')))":
      'While the past is shown only what joins is told of without a branch.',
    'this.eachListener((listener) => listener.transition?.(transition), transition);': types,
    'this.notifying = false;': `${shortcut} What is held back is held back anyway.`,
    '(rounds ??= []).push(next.action.type);': words,
    'if (rounds.length > MOST_ROUNDS) {': bound,
    'throw endlessLoop([...new Set(rounds.slice(-100))]);': bound,
    'if (cause.run !== undefined) {': 'Where the live end is shown both ways are one.',
    'this.eachListener((listener) => listener.close?.());': types,
    'if (!DEV) return;': 'Tests run the development build.',
    'private listeners: readonly Listener[] = [];': 'A text has nothing to be told with.',
    'const { initial = {}, clock, random = Math.random, needs = [] } = options;': 'A text answers no need.',
    'const starting = fresh.flatMap((store) => store.tasks.filter(({ options }) => options.atStart));': `${shortcut} Which begin is asked once more where they begin.`,
    'if (starting.length > 0) this.startTasks(starting);': `${shortcut} None begin.`,
    'if (!store.internal) this.settlement.addFact(slot, state, this.group?.number);':
      'It only keeps more, or keeps what no action has changed.',
  },
  store: {
    'declared++;': 'Any numbers will do as long as they differ.',
    'const copied = this.original?.types().map((type) => this.name + type.slice(this.original!.name.length)) ?? [];':
      words,
    "return new StoreDefinition(plainName('A copy of a store', label), this.initial, this);": words,
    'const isOwn = (store: StoreDefinition | undefined): boolean => store !== undefined && store === this.original;': `${shortcut} What is no copy has no original.`,
    'else if (!derivation && thing.type && isOwn(thing.store))': `${types} What has a type is an action.`,
    "this.rules.push({ name: `${this.name}.${plainName(`An invariant of '${this.name}'`, name)}`, holds });": words,
    "readonly [SOURCE]: Recipe<unknown> = { of: this, args: [], key: '', bare: NO_BARE };":
      'A store has one value, whatever its key.',
    'this.atPointer = partSelector(`${name}.at`, this, parsePointer);': words,
    "return makeSelector(`${this.name}.${plainName(`A selector of '${this.name}'`, name)}`, this, derive, options);":
      words,
    "const full = `${this.name}.${plainName(`A task of '${this.name}'`, name)}`;": words,
  },
  task: {
    "const named = typeof answered === 'function' && !('type' in answered) ? answered() : answered;":
      'An action that a creator makes has the type of its creator.',
    'if (options?.when) {': `${shortcut} A task that answers nothing is begun by nothing.`,
    "name: plainName('A need', name),": words,
    "return overlapBy || overlap === 'share' ? this.statusKey(args) : '';": 'Any one text for the one lane.',
    "return by.length === 0 ? '' : argumentKey(this.name, by);": 'Any one text for the status without arguments.',
    "if (typeof work !== 'function') throw badName(`The work of the task '${name}'`, work);": words,
    'freeTasks.splice(known < 0 ? freeTasks.length : known, 1, definition);':
      'Only where the very first task that was ever declared is declared anew.',
    "Object.defineProperty(call, 'name', { value: name });": words,
    "const { definition, made } = makeTask(plainName('A task', name), run, options);": words,
  },
  runs: {
    "if (other !== undefined && overlap === 'replace') {": `${shortcut} Where none runs, none is cancelled.`,
    'for (; lane && lane.running.size > 0; lane = lanes.lanes.get(run.lane))': 'A lane in which nothing runs is gone.',
    "const cause: Cause = transition ? { by: 'runtime', of: transition } : { by: 'runtime' };":
      'Where there is no transition nothing is recorded, and nobody sees the cause.',
    "if (DEV) guardData(args, { at: '', what: `What the task '${task.name}' is called with` });": words,
    "const { overlap = 'allow', unless } = task.options;": 'Whatever is none of the others allows both.',
    "if (parent?.ended === true) return this.neverBegins(run, cause, 'cancelled');": words,
    'if (this.host.recorded)': `${shortcut} There is nobody to tell.`,
    "if (key !== '' && !lanes.busy.has(key) && by[key] !== undefined) {":
      'The status without arguments is that of all runs: nobody looks it up under its key.',
    "if (key === '') return undefined;":
      'The status without arguments is that of all runs: nobody looks it up under its key.',
    'if (transition) this.started.set(run, transition);': 'Nothing is found under a run as well as no transition.',
    "if (run.phase !== 'running' || !retry || run.attempt > retry.times) return this.end(run, 'failed', error);": `${shortcut} What is over does not end once more.`,
    "const error = phase === 'failed' ? asData(reason) : null;": types,
    'if (forgotten !== undefined) delete next[forgotten];': 'There is nothing under the key that is none.',
    'const next = lane.running.size === 0 ? lane.queue.shift() : undefined;':
      'Where runs wait in a queue, one runs at a time.',
    'else if (lane.running.size === 0 && lane.queue.length === 0 && lanes.lanes.get(run.lane) === lane)':
      'It only gives memory back.',
    'if (ears?.delete(ear) && ears.size === 0) this.ears.delete(type);': 'It only gives memory back.',
    'if (tasks.length === 0) return;': `${shortcut} None begin.`,
    'if (this.toStart.length > 0) this.startWaiting();': `${shortcut} None begin.`,
    'if (count > MOST_STARTS) {': bound,
    'const names = this.toStart.splice(0).map((one) => one.call.task.name);': words,
    'return this.host.problem(endlessLoop([...new Set([call.task.name, ...names])]));': words,
  },
  host: {
    'return () => host.clearTimeout!(started);':
      'It only gives a timer back: what was waited for is not wanted any more.',
    'export const stopwatch: () => number = host.performance ? () => host.performance!.now() : () => Date.now();':
      'Every host that tests run on has a stopwatch.',
    'export const complain = (...parts: unknown[]): void => host.console?.error(...parts);':
      'Every host that tests run on has a console.',
    'export const tell = (...parts: unknown[]): void => host.console?.log(...parts);':
      'Every host that tests run on has a console.',
    "export const inBrowser = (): boolean => typeof host.document === 'object';": '`tests/bindings` run in a page.',
  },
  runtime: {
    'return (shared ??= createRuntime());': '`tests/bindings` run in a page.',
    'if (!inBrowser()) throw noRuntimeOnServer();': '`tests/bindings` run in a page.',
  },
  errors: {
    'cause === undefined ? undefined : { cause },': 'A cause that is undefined says nothing.',
    "(value as { constructor?: { name?: string } } | null)?.constructor?.name ?? '';": types,
  },
  mode: {
    "export const DEV: boolean = process.env.NODE_ENV !== 'production';": 'Tests run the development build.',
  },
};
