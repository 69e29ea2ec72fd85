// Why no test notices some mutants: for each file of the core the lines as they are written, and what makes the mutants in
// them come to the same, or to nothing that a test could ask for. `npm run test:mutants` looks for a reason for each survivor
// here, and writes docs/survivors.md.

const shortcut = 'A shortcut: without it the same comes out of what follows, later.';
const bound = 'A bound on what is kept or tried: one more or one fewer is as good.';
const words = 'Only part of a message.';
const types = 'Cannot happen; it is there for the compiler.';

export const survivors = {
  action: {
    'if (change.length > 1) return true;': `${shortcut} The text says so too.`,
    "const text = String(change).replace(/\\/\\*[^]*?\\*\\/|\\/\\/.*/g, '');":
      'What stands in the place of a comment has no comma and no parenthesis, so it decides nothing.',
    'for (let i = 0; i < text.length; i++) {': 'Behind the end there is no letter to look at.',
    'return false;': `${types} The text of a function has parentheses around its parameters, or an arrow.`,
  },
  answers: {
    'if (this.declarations !== declared) {': shortcut,
    'if (known && (maker === undefined || known.maker === maker)) return known;': shortcut,
    'const isAlone = stores.length === 1 && only.changes.length === 1 && tasks.length === 0;': `${shortcut} One change of one store has a short way.`,
  },
  context: {
    'if (runs.host.recorded && (run_.saw ??= []).length < MOST_SEEN) run_.saw.push([what, value]);': bound,
  },
  diff: {
    'if (touch && !touch.moved && touch.base === before) {': `${shortcut} What the draft touched only says where to look; in an object nothing moves.`,
    'if (hasOwn(before, key)) this.remove(at, before[key]);': `${types} A touched key that neither state has was dropped when the draft was folded.`,
    'for (const key of touch.keys ?? []) this.property(before, after, key, path);': types,
    'const { keys = [] } = touch;': types,
    'if (before.size > changed.length + removed.length) this.common++;':
      'The number is only ever compared with the same number from before: any other one will do.',
    'if (before[from] === after[to]) this.common++;': `${shortcut} The comparison counts it too.`,
    'if (index >= after.length) continue;': `${types} What was put behind the end and taken away again was dropped when the draft was folded.`,
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
    'if (this.sameItem(before, after)) return true;': `${shortcut} Two of the same agree in all of their parts.`,
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
    "const otherOf = ({ state, told }: Slot) => ({ state, told, place: new Place(undefined, '') });":
      'The key of a place is looked at by the place above it, and there is none.',
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
};
