// `npm run test:faults`: puts faults into the core on purpose, one at a time, in a copy of the repository, and sees that
// the suite that should catch each does. Writes the list into docs/quality.md, between its marks. FLOE_FAULTS picks those
// whose meaning or file has it in it; only their lines are then written anew.
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root, tell } from './run.mjs';

const drafts = 'tests/core/draft.property.test.ts';
const selectors = 'tests/core/selectors.property.test.ts';
const tables = 'tests/entities/table.property.test.ts';
const entities = 'tests/entities/entities.property.test.ts';
const orders = 'tests/core/interleavings.test.ts';
const optimistic = 'tests/core/optimistic.property.test.ts';
const tasks = 'tests/core/tasks.test.ts';
const past = 'tests/core/past.test.ts';
const whatIf = 'tests/trace/what-if.property.test.ts';
const excluding = 'tests/trace/what-if.test.ts';
const histories = 'tests/trace/history.test.ts';
const traceFiles = 'tests/trace/files.test.ts';
const tabs = 'tests/persist/tabs.property.test.ts';
const besides = 'tests/persist/tabs.test.ts';
const model = 'tests/persist/tabs-model.test.ts';
const storms = 'tests/persist/tabs-storms.property.test.ts';
const meeting = 'tests/persist/meeting.test.ts';
const secrets = 'tests/trace/secrets.test.ts';
const endings = 'tests/core/ending.test.ts';
const holding = 'tests/core/holding.test.ts';
const holds = 'tests/core/holding.property.test.ts';
const misuse = 'tests/core/misuse.test.ts';
const replays = 'tests/trace/replay.test.ts';
const moving = 'tests/trace/moves.property.test.ts';
const secretTexts = 'tests/trace/secrets.property.test.ts';
const written = 'tests/trace/written.property.test.ts';
const addresses = 'tests/location/location.test.ts';
const views = 'tests/entities/views.test.ts';

/** The suite that must catch it, the file, what stands there, what is put in its place, and what that means. */
const faults = [
  [
    drafts,
    'core/draft.ts',
    'if (value === kid.base) return;',
    'return;',
    'an edited part is not put back into its parent',
  ],
  [
    drafts,
    'core/draft.ts',
    'if (kid) this.dropKid(key);',
    '',
    'a replaced part is overwritten by the draft handed out for the old one',
  ],
  [drafts, 'core/draft.ts', 'this.moved = true;', '', 'items that moved are taken to be in their old places'],
  [
    drafts,
    'core/draft.ts',
    'return sameData(this.base, items) ? this.base : items;',
    'return items;',
    'items moved there and back count as a change',
  ],
  [
    drafts,
    'core/draft.ts',
    'const unchanged = had && sameData(base[key], final);',
    'const unchanged = false;',
    'equal data put in the place of data counts as a change',
  ],
  [
    drafts,
    'core/draft.ts',
    'return node.fold();',
    'return node.base;',
    'a draft that was put elsewhere loses its edits',
  ],
  [
    drafts,
    'core/draft.ts',
    'return shallowCopy(this.base as Container);',
    'return this.base;',
    'the state before is edited in place',
  ],
  [
    drafts,
    'core/list-reads.ts',
    'for (let i = 0; i < count && (all || i < items.size); i++) {',
    'for (let i = 0; i < count; i++) {',
    'who goes through a list is given items that have gone',
  ],
  [drafts, 'core/diff.ts', '  undo.reverse();', '', 'the inverse is applied in the wrong order'],
  [
    drafts,
    'core/diff.ts',
    'if (!hasOwn(before, key)) this.add(`${path}/${escapeKey(key)}`, after[key]);',
    'if (!hasOwn(before, key)) this.add(`${path}/${key}`, after[key]);',
    'a key with a slash is not escaped in its pointer',
  ],
  [
    drafts,
    'core/diff.ts',
    'if (this.common === common && this.changes.length > operations + 1) {',
    'if (this.changes.length > operations) {',
    'a changed part is replaced as a whole',
  ],
  [selectors, 'core/tracking.ts', 'part.noteKind();', '', 'nobody is told that an object became something else'],
  [
    selectors,
    'core/tracking.ts',
    'if (this.keys && !sameKeys(before, after)) this.keys.mark();',
    '',
    'nobody is told of a new key',
  ],
  [
    selectors,
    'core/tracking.ts',
    'if (this.presence && had !== has) this.presence.mark();',
    '',
    'nobody is told that a key is there now',
  ],
  [
    selectors,
    'core/tracking.ts',
    "if (Array.isArray(after)) this.parts.get('length')?.within(before, after, touches);",
    '',
    'nobody is told that a list grew',
  ],
  [
    selectors,
    'core/tracking.ts',
    '    note(view.place);\n    return view.raw;',
    '    return view.raw;',
    'a part that was handed out does not count as read',
  ],
  [selectors, 'core/graph.ts', 'how = MAYBE;\n', 'return;\n', 'marks do not travel on to readers of readers'],
  [
    selectors,
    'core/graph.ts',
    'same = first.version === this.firstVersion;',
    'same = false;',
    'a selector runs again though nothing that it read changed',
  ],
  [
    selectors,
    'core/graph.ts',
    'if (rest.ports[at - 1] !== port) {',
    'if (rest.ports[at - 1] === undefined) {',
    'a run that takes another way keeps the old one',
  ],
  [
    selectors,
    'core/watcher.ts',
    'else if (Object.is(last, now)) return;',
    '',
    'watchers hear of results that are the same',
  ],
  [
    selectors,
    'core/reading.ts',
    'return equal !== undefined && equal(before, after);',
    'return false;',
    "equal: 'deep' is not heeded",
  ],
  [
    tables,
    'entities/table.ts',
    'return table.#live(table.#slotOf(key) + 1)?.key;',
    'return undefined;',
    'a patch puts a row to the end that was elsewhere',
  ],
  [
    tables,
    'entities/table.ts',
    'return slot < this.#length && this.#leaf(slot).keys[slot & MASK] === key;',
    'return slot < this.#length;',
    'a key is looked up in a slot that another version gave it',
  ],
  [tables, 'entities/table.ts', 'leaf.keys = leaf.keys.slice();', '', 'a key added to one version is added to another'],
  [
    tables,
    'entities/table.ts',
    'if (slot >= 0 && table.#live(slot + 1)?.key === before)',
    'if (slot >= 0)',
    'a row that comes back comes to where it was once',
  ],
  [
    tables,
    'entities/table.ts',
    'if (node.owner === owner && owner !== undefined) return node;',
    'return node;',
    'the version before is edited in place',
  ],
  [
    tables,
    'entities/table.ts',
    'if (!had || rows[i] !== was) differs = true;',
    '',
    'a row put in by hand is no change',
  ],
  [
    tables,
    'entities/table-draft.ts',
    'if (slot < 0) this.again = true;',
    '',
    'the last row, taken out and put in again, counts as a change',
  ],
  [
    tables,
    'entities/table-draft.ts',
    'return had && sameData(old, final) ? old : final;',
    'return final;',
    'equal data put in the place of a row counts as a change',
  ],
  [
    tables,
    'core/tracking.ts',
    'if (removed.length + added.length > 0) this.keys?.mark();',
    '',
    'nobody is told of a new row',
  ],
  [
    tables,
    'core/tracking.ts',
    'if (this.size && before.size !== after.size) this.size.mark();',
    '',
    'nobody is told of another size',
  ],
  [
    entities,
    'entities/ingest.ts',
    'while (found.length > 0) stack.push(found.pop()!);',
    'stack.push(...found.splice(0));',
    'records are not taken in document order',
  ],
  [
    entities,
    'entities/ingest.ts',
    'rows.set(key, older === undefined ? final : joined(plan.join, older, final));',
    'rows.set(key, final);',
    'what was said of a record before is forgotten',
  ],
  [entities, 'entities/expand.ts', 'return found ?? null;', 'return reference;', 'links are not expanded'],
  [
    entities,
    'entities/view.ts',
    'if (this.compare(old, entry) !== 0) return this.take(old) && (this.add(entry), true);',
    '',
    'a row stays in its place in the order though its field changed',
  ],
  [
    entities,
    'entities/view.ts',
    'if (from && !from.take(old)) return false;',
    '',
    'a row that no longer fits stays in the view',
  ],
  [entities, 'entities/view.ts', 'to?.add(now);', '', 'a row that fits now does not come into the view'],
  [
    entities,
    'entities/view.ts',
    'if (list.group?.rows === rows) continue;',
    '',
    'groups that did not change are made anew',
  ],
  [
    entities,
    'entities/sequence.ts',
    'while (i < node.kids.length - 1 && index > node.kids[i].count) index -= node.kids[i++].count;',
    'while (i < node.kids.length - 1 && index > node.kids[i].count) i++;',
    'an item is put into the wrong part of a sequence',
  ],
  [
    entities,
    'entities/linked.ts',
    "if (link.removed === 'cascade') go(link.from, source);",
    'if (link.removed === undefined) go(link.from, source);',
    'rows that should go with the removed one stay',
  ],
  [
    entities,
    'entities/linked.ts',
    'for (const key of [...changed, ...removed]) this.note(key, before.get(key), false);',
    '',
    'links that are gone are still followed',
  ],
  [
    entities,
    'entities/linked.ts',
    'for (const key of removed) if (!now.has(key)) go(plan, key);',
    '',
    'rows that link to a removed one are not looked for',
  ],
  [
    orders,
    'core/runs.ts',
    "if (other !== undefined && overlap === 'replace') {",
    "if (other !== undefined && overlap === ('never' as never)) {",
    'a new run does not cancel the old one',
  ],
  [
    orders,
    'core/runs.ts',
    'const next = lane.running.size === 0 ? lane.queue.shift() : undefined;',
    'const next = lane.running.size < 0 ? lane.queue.shift() : undefined;',
    'a run that waits for its turn never begins',
  ],
  [
    orders,
    'core/engine.ts',
    'return reason === undefined ? undefined : `its run is over: ${reason}`;',
    "return reason === 'never' ? reason : undefined;",
    'a cancelled run still changes state',
  ],
  [orders, 'core/runs.ts', "this.cancel(run, 'closed');", 'void run;', 'runs go on after the end of the runtime'],
  [
    orders,
    'core/task.ts',
    "return overlapBy || overlap === 'share' ? this.statusKey(args) : '';",
    "return overlapBy && overlap === undefined ? this.statusKey(args) : '';",
    'runs of different rows disturb each other',
  ],
  [
    orders,
    'core/runs.ts',
    'const all = lanes.running > 0 ? state.all : over(state.all);',
    'const all = over(state.all);',
    'the status says that it is over while another run goes on',
  ],
  [
    optimistic,
    'core/optimistic.ts',
    'for (const [one, after] of outcome.afters) one.after = after;',
    '',
    'what came after is not remembered as it was computed anew',
  ],
  [
    optimistic,
    'core/optimistic.ts',
    'const trial = new Map(states);',
    'const trial = states;',
    'half of a group that cannot be applied stays',
  ],
  [
    optimistic,
    'core/optimistic.ts',
    'if (!gone) for (const [slot, state] of after) this.base.set(slot, state);',
    'for (const [slot, state] of after) this.base.set(slot, state);',
    'what was taken back comes back later',
  ],
  [
    optimistic,
    'core/engine.ts',
    'this.settlement.addFact(this.slots.get(store.name)!, after, this.group?.number);',
    'void after;',
    'a reset is forgotten when something is taken back',
  ],
  [
    optimistic,
    'persist/keeper.ts',
    "this.host.uncertain || fact === 'confirmed'",
    "fact === 'confirmed'",
    'what is certain changes, and is not stored',
  ],
  [
    optimistic,
    'core/plain.ts',
    'if (start === before.length && start === after.length) return before;',
    'if (start === before.length) return before;',
    'items that come back at the end are lost',
  ],
  [
    tabs,
    'persist/tabs/pending.ts',
    'const around = before.has(name) ? before.get(name) : (now[name] ?? state);',
    'const around = now[name] ?? state;',
    'what is done again finds the parts that are not kept as they are now',
  ],
  [
    tabs,
    'persist/tabs/pending.ts',
    'if (left.has(name)) return left.get(name);',
    '',
    'an action of a transaction does not see what came before it there',
  ],
  [
    tabs,
    'persist/tabs/pending.ts',
    'const trial: Parts = new Map(parts);',
    'const trial = parts;',
    'half of what cannot be done any more stays',
  ],
  [
    tabs,
    'persist/tabs/leader.ts',
    'if (!isNext || previous',
    'if (previous',
    'what was computed on an older order is taken',
  ],
  [
    tabs,
    'persist/tabs/leader.ts',
    '|| previous !== (tab.done.get(from) ?? 0)',
    '',
    'what a tab did later is ordered before what it did first',
  ],
  [
    besides,
    'persist/tabs/follower.ts',
    'pendings.list = pendings.list.filter(({ id }) => id > own);',
    '',
    'what the one that led before has ordered is done twice',
  ],
  [
    besides,
    'persist/tabs/follower.ts',
    'if (firstTerm === one.firstTerm) return one.revision > revision ? [part, ordered] : [part, part];',
    'if (firstTerm === one.firstTerm) return [part, part];',
    'what only others heard of the one that led before is lost',
  ],
  [
    model,
    'persist/tabs/follower.ts',
    'if (isNew) for (const pending of pendings.list) pending.sent = false;',
    '',
    'what the one that led before did not answer is not proposed again',
  ],
  [
    besides,
    'persist/tabs/tabs.ts',
    "message.kind === 'leads' && message.term >= tab.term &&",
    "message.kind === 'leads' &&",
    'one that has left is followed',
  ],
  [
    tabs,
    'persist/keeper.ts',
    'for (const record of this.readyOf(stores)) void record.turns.take(() => this.writeOver(record));',
    'void stores;',
    "the next leader takes what is stored for another session's",
  ],
  [
    model,
    'persist/tabs/succession.ts',
    'if (others === 0 ||',
    'if (others >= 0 ||',
    'one that begins to lead does not ask what the others know',
  ],
  [
    storms,
    'persist/tabs/pending.ts',
    'const result = new Map(unordered);',
    'const result = new Map<string, { readonly before: unknown; readonly after: unknown }>();',
    'what is done in a store that no leader has ordered yet is dropped',
  ],
  [
    besides,
    'persist/tabs/follower.ts',
    'return revision !== undefined || answeredBy === leader;',
    'return leader !== undefined;',
    'what a leader said before the storage was read counts',
  ],
  [
    besides,
    'persist/tabs/hosted.ts',
    'records.set(name, record);',
    '',
    'a store that only other tabs have is not written',
  ],
  [
    storms,
    'persist/tabs/leader.ts',
    'for (const one of later) this.readAgain(one);',
    'for (const one of later) one.reading = false;',
    'what was read while another one led counts',
  ],
  [
    meeting,
    'persist/conflicts.ts',
    'return common ? common.part : stored;',
    'return stored;',
    'what two wrote at the same moment is compared with what this one wrote last',
  ],
  [
    meeting,
    'persist/patience.ts',
    'PATIENCE = 10_000',
    'PATIENCE = Infinity',
    'a storage that hangs is waited for without end',
  ],
  [
    optimistic,
    'core/optimistic.ts',
    'if (!entry.open) entry.within = ',
    'if (!entry.open) void ',
    'what is part of a state from elsewhere is done to it once more',
  ],
  [
    past,
    'core/runs.ts',
    '      if (!started || stays(started)) continue;',
    '      if (started) continue;',
    'runs of a line that was left go on',
  ],
  [tasks, 'core/context.ts', '    else kept.push(action);', '', 'what comes while a listener works is missed'],
  [past, 'core/ends.ts', 'this.unseen = true;', '', 'what a task does while the past is shown is seen'],
  [tasks, 'core/run.ts', 'this.controller?.abort(this.cancellation);', '', 'a cancelled run does not abort its signal'],
  [
    excluding,
    'trace/recompute.ts',
    '  states[store.name] = after;\n  const { seq, branch',
    '  const { seq, branch',
    'a step computed anew does not count for the next',
  ],
  [
    excluding,
    'trace/recompute.ts',
    "  if (steps.some(({ outcome }) => outcome === 'reverted'))",
    '  if (steps.some(() => false))',
    'what was taken back when it happened is tried again',
  ],
  [
    whatIf,
    'trace/recompute.ts',
    '  if (reason === undefined) return results;',
    '  if (Boolean(reason) || true) return results;',
    'half of a group that fails now stays',
  ],
  [
    excluding,
    'trace/recompute.ts',
    'const given = isGiven(step) ? (step.given ?? step.changes) : undefined;',
    'const given = undefined;',
    'what a fact states is forgotten when it cannot be stated',
  ],
  [
    whatIf,
    'trace/recording.ts',
    '      if (!from) continue;',
    '      if (from || chain) break;',
    'other branches are not computed anew',
  ],
  [
    excluding,
    'trace/recording.ts',
    '    timeline.forgetFrom(start);',
    '',
    'states from before an exclusion are taken for those after it',
  ],
  [
    whatIf,
    'trace/timeline.ts',
    'this.line.slice(to + 1, from + 1).reverse()',
    'this.line.slice(to + 2, from + 1).reverse()',
    'a step too few is taken back',
  ],
  [
    whatIf,
    'trace/recording.ts',
    '    if (step.group !== undefined)\n',
    '    if (false)\n',
    'only one of several steps that stand together is excluded',
  ],
  [
    histories,
    'trace/history.ts',
    '  const next = op === removing ? own - 1 : own + 1;',
    '  const next = own;',
    'items that moved are not followed',
  ],
  [histories, 'trace/history.ts', '    if (!keys) return;', '', 'the history goes on beyond the birth of an item'],
  [
    histories,
    'trace/merge.ts',
    '    if (!this.anyway) throw new MergeConflict(path);',
    '',
    'what something else changed since is overwritten',
  ],
  [
    moving,
    'trace/undo-stack.ts',
    '    for (const { before, after } of changed) this.identities.follow(before, after, touches);',
    '',
    'the stack does not learn which item is the next version of which',
  ],
  [
    traceFiles,
    'trace/file.ts',
    '    if (this.broken) throw traceDamaged(this.broken.line, this.broken.why);',
    '',
    'a damaged line in the middle goes unnoticed',
  ],
  [
    traceFiles,
    'trace/file.ts',
    'isText(by) && isOptional(step, isCount)',
    'isText(by)',
    'a cause with a step of letters passes',
  ],
  [
    traceFiles,
    'trace/recording.ts',
    '    this.writeSteps([marked], true);',
    '',
    'a mark is missing in a file that is written as things happen',
  ],
  [
    secrets,
    'trace/redaction.ts',
    'if (secret.length >= least && result.includes(secret)) result = result.replaceAll(secret, REDACTED);',
    '',
    'secrets stand in messages',
  ],
  [secrets, 'trace/redaction.ts', "        [`${task}.status`, 'by'],", '', 'secrets stand in the status of a task'],
  [
    replays,
    'trace/replay.ts',
    '        else if (divergence) return { steps: line.length, actions, onTrust, divergence };',
    '',
    'a divergence goes unnoticed',
  ],
  [
    moving,
    'core/list-moves.ts',
    '    if (isThere.has(j) && originOf(after[j], touches) === item) match(i, j);',
    '    if (isThere.has(j)) match(i, j);',
    'an item is taken for the one at its index',
  ],
  [
    moving,
    'core/diff.ts',
    'for (const [i, j] of items) if (j !== null) this.inside(before[i], after[j], at(j));',
    '',
    'lists inside an item that moved are not followed',
  ],
  [
    moving,
    'trace/merge.ts',
    '    return names.map((name) => items.get(name));',
    '    return names.map((_name, i) => to[i]);',
    'an undo goes by index',
  ],
  [
    histories,
    'core/draft-faces.ts',
    '    node.editing.copied(node.base);',
    '',
    'a copy of an item is not known as one',
  ],
  [
    secretTexts,
    'trace/redaction.ts',
    '      if (rule.learns) this.learn(value);',
    '',
    'earlier secrets are not remembered',
  ],
  [
    written,
    'trace/write-test.ts',
    "text.replace(/[\\p{Cc}\\u2028\\u2029]+/gu, ' ')",
    'text',
    'a line break ends a comment',
  ],
  [
    written,
    'trace/recording.ts',
    '    this.joinEarly();',
    '',
    'a store that joined in a look at the past is nowhere on the branch',
  ],
  [
    addresses,
    'location/pattern.ts',
    'quoted || text.startsWith(QUOTE)',
    'text.startsWith(QUOTE)',
    'a parameter is a dot segment',
  ],
  [addresses, 'location/location.ts', "path.startsWith('//') ? '/.' : ''", "''", 'an address leads to another host'],
  [
    views,
    'entities/view.ts',
    'isDate(key) || isContainer(key) ? this.known(key) : key',
    'key',
    'equal dates make several groups',
  ],
  [holds, 'core/hold.ts', `    entry.grips++;`, ``, 'a value is evicted between rendering and subscribing'],
  [
    holding,
    'core/watcher.ts',
    `    if (this.failure !== undefined) this.failure = undefined;
    else if`,
    `    if`,
    'a value that follows an error is not told',
  ],
  [
    holding,
    'core/watcher.ts',
    `if (this.how.binding) this.sink.thrown(error);
      else `,
    ``,
    'what a binding throws is swallowed',
  ],
  [
    holding,
    'core/beginning.ts',
    `state: slot.begun, place`,
    `state: slot.state, place`,
    'a page hydrates with what is kept',
  ],
  [endings, 'core/waits.ts', `this.told = this.workKnows = true;`, `this.workKnows = true;`, 'a cancelled loop spins'],
  [
    endings,
    'core/runs.ts',
    `      if (run.isAtStart) this.toRestart.add(run.task);`,
    ``,
    'background work is dead after a branch',
  ],
  [
    endings,
    'trace/recording.ts',
    `    this.host.endLost('import', this.claimedRuns());`,
    ``,
    'a status claims a run that an import left',
  ],
  [endings, 'core/host.ts', `Math.min(left, LONGEST_TIMER)`, `left`, 'a month is over at once'],
  [
    selectors,
    'core/tracking.ts',
    `return isEntries ? replaceEntries(value, inside) : replaceParts(value, inside);`,
    `return isEntries ? value : replaceParts(value, inside);`,
    'a Map that a selector gives holds proxies and goes stale',
  ],
  [
    misuse,
    'trace/packing.ts',
    `    if (!hasPart(before, key) || !hasPart(after, key)) return undefined;`,
    ``,
    'an inherited key at the top of a store is replaced instead of added',
  ],
];

const copy = mkdtempSync(join(tmpdir(), 'floe-faults-'));
for (const name of ['src', 'tests', 'examples', 'scripts', 'docs', 'package.json', 'jest.config.mjs']) {
  cpSync(join(root, name), join(copy, name), { recursive: true, filter: (path) => !path.includes('node_modules') });
}
symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'));
const fails = (suite) =>
  spawnSync(
    process.execPath,
    [
      '--experimental-vm-modules',
      '--no-warnings',
      join(root, 'node_modules/jest/bin/jest.js'),
      '--rootDir',
      copy,
      suite,
    ],
    {
      cwd: copy,
      encoding: 'utf8',
      // Of the hundred thousand scenarios a tenth.
      env: {
        ...process.env,
        FLOE_FIRST: '1',
        ...(suite === orders && { FLOE_SHARE: '0.1' }),
      },
    },
  ).status !== 0;

const wanted = process.env.FLOE_FAULTS ?? '';
const picked = faults.filter(([, name, , , meaning]) => meaning.includes(wanted) || name.includes(wanted));
const lines = [];
let missed = 0;
for (const suite of new Set(picked.map(([suite]) => suite)))
  if (fails(suite)) throw new Error(`${suite} fails without any fault`);
for (const [suite, name, from, to, meaning] of picked) {
  const file = join(copy, 'src', name);
  const text = readFileSync(file, 'utf8');
  if (text.split(from).length !== 2)
    throw new Error(`the place of the fault "${meaning}" in ${name} was not found once`);
  writeFileSync(
    file,
    text.replace(from, () => to),
  );
  const caught = fails(suite);
  writeFileSync(file, text);
  if (!caught) missed++;
  tell(`${caught ? 'caught' : 'MISSED'}  ${name}: ${meaning}`);
  lines.push(`| ${suite.split('/').at(-1)} | \`${name}\` | ${meaning} | ${caught ? 'yes' : 'no'} |`);
}
rmSync(copy, { recursive: true });

const page = join(root, 'docs', 'quality.md');
const text = readFileSync(page, 'utf8');
const rows = text.split('\n').filter((line) => line.startsWith('| ') && line.includes(' | `'));
const meaningOf = (line) => line.split(' | ')[2]?.trim();
/** The lines of now, and of faults that were not picked those of before. */
const all = faults.flatMap(
  ([, , , , meaning]) => [...lines, ...rows].find((line) => meaningOf(line) === meaning) ?? [],
);
const table = `| suite | put into | fault | caught |\n| --- | --- | --- | --- |\n${all.join('\n')}\n`;
writeFileSync(
  page,
  text.replace(/(<!-- faults -->\n)[^]*(\n<!-- end of faults -->)/, (_all, begin, end) => `${begin}\n${table}${end}`),
);
console.log(`${picked.length - missed} of ${picked.length} faults were caught`);
process.exitCode = missed > 0 ? 1 : 0;
