// What the errors say: each names what it is about and what to write instead, and carries its code, path and cause.
import { expect, test } from '@jest/globals';
import * as errors from '../../src/core/base/errors.js';

const cause = new RangeError('the reason');
const creator = Object.assign(() => 0, { type: 'visits.planned' });
class Vessel {
  name = 'Ern';
}
const all: [errors.FloeError, string, RegExp, object?][] = [
  [
    errors.notPlain('It', '', 'class', new Vessel()),
    'NOT_PLAIN_DATA',
    /: it is an instance .*\(found: Vessel\)\. State/,
    { path: '' },
  ],
  [
    errors.notPlain('It', '/a', 'class', Object.create(null)),
    'NOT_PLAIN_DATA',
    /at \/a is an instance[^(]*State/,
    { path: '/a' },
  ],
  [errors.notPlain('It', '/a', 'hole', new Vessel()), 'NOT_PLAIN_DATA', /array with holes[^(]*State/, { path: '/a' }],
  [errors.badName('A store', 'a.b'), 'BAD_NAME', /A store needs a name.*\(found: 'a.b'\)/],
  [errors.badName('A store', 7), 'BAD_NAME', /\(found: number\)/],
  [errors.nameTaken('The store', 'port'), 'NAME_TAKEN', /The store 'port' is declared twice.*renew/],
  [errors.notAnAction(creator), 'NOT_AN_ACTION', /creator 'visits.planned' itself\. Call it/],
  [errors.notAnAction(() => 0), 'NOT_AN_ACTION', /needs an action.*\(found: function\)/],
  [errors.notAnAction(null), 'NOT_AN_ACTION', /\(found: null\)/],
  [errors.unknownAction('visits.planed', ['visits.planned', 'x']), 'UNKNOWN_ACTION', /Did you mean 'visits.planned'\?/],
  [errors.unknownAction('visits.gone', ['visits.planned']), 'UNKNOWN_ACTION', /'visits.gone'\. A hand-written/],
  [errors.unknownAction('ab', ['abcd', 'abc', 'abd']), 'UNKNOWN_ACTION', /Did you mean 'abc'\?/],
  [errors.unknownAction('abcd', ['x', 'bcda']), 'UNKNOWN_ACTION', /Did you mean 'bcda'\?/],
  [errors.unknownAction('ab', ['xyzab']), 'UNKNOWN_ACTION', /'ab'\. A hand-written/],
  [errors.asyncChange('a', 'port'), 'ASYNC_CHANGE', /change of 'port' for 'a' returned a promise/],
  [errors.editedAndReturned('a', 'port'), 'EDITED_AND_RETURNED', /'port' for 'a' edited the draft and also returned/],
  [errors.changeFailed('a', 'port', cause), 'CHANGE_FAILED', /'port' for 'a' threw: the reason\. No store/, { cause }],
  [errors.changeFailed('a', 'port', 'One. Two.'), 'CHANGE_FAILED', /threw: One\. Two\. No/, { cause: 'One. Two.' }],
  [errors.draftEnded('x'), 'DRAFT_ENDED', /after its change had ended \(at 'x'\)/],
  [errors.draftMisuse('do it', 'do that'), 'DRAFT_MISUSE', /A draft cannot do it: do that\./],
  [errors.wrongPlace('dispatch', 'a change'), 'WRONG_PLACE', /dispatch was called inside a change\./],
  [errors.endlessLoop(['a', 'b']), 'ENDLESS_LOOP', /: 'a', 'b' went round/],
  [errors.selectorCycle(['a', 'b', 'a']), 'SELECTOR_CYCLE', /: a -> b -> a\./],
  [errors.notASource(() => 0), 'NOT_A_SOURCE', /needs its arguments/],
  [errors.notASource(null), 'NOT_A_SOURCE', /\(found: null\)\. A source is a store/],
  [errors.notASource({}), 'NOT_A_SOURCE', /\(found: object\)/],
  [errors.notASource('visits'), 'NOT_A_SOURCE', /the text 'visits'/],
  [errors.notASource(undefined), 'NOT_A_SOURCE', /an import may still be undefined/],
  [errors.notASource(Object.assign(() => 0, { type: 'a.b' })), 'NOT_A_SOURCE', /action creator 'a\.b'.*dispatch/],
  [errors.notASource(Object.assign(() => 0, { definition: {} })), 'NOT_A_SOURCE', /read its status/],
  [errors.notAStore(null), 'NOT_A_STORE', /\(found: null\)/],
  [errors.nameTaken('The action', 'a.b'), 'NAME_TAKEN', /would be chance/],
  [errors.nameTaken('The store', 'port', true), 'NAME_TAKEN', /accept\(\(next\).*next\.port/],
  [
    errors.unknownOption('f', 'keeep', ['keep', 'now']),
    'UNKNOWN_OPTION',
    /no option 'keeep'\. Did you mean 'keep'\?.*'keep', 'now'/,
  ],
  [errors.badOption('f', 'keep', 'is a number'), 'BAD_OPTION', /f: the option 'keep' is a number\.$/],
  [errors.badOptions('f', [], ['keep']), 'BAD_OPTION', /members 'keep' \(found: a list\)/],
  [errors.unknownField('f', 'abuot', ['about']), 'BAD_OPTION', /field 'abuot'.*Did you mean 'about'/],
  [errors.selectorEnded('n'), 'SELECTOR_ENDED', /after the selector.*at 'n'/],
  [errors.notCloneable('a change', cause), 'NOT_CLONEABLE', /structuredClone was called in a change/, { cause }],
  [
    errors.changeFailed('a', 'port', new DOMException('x', 'DataCloneError')),
    'NOT_CLONEABLE',
    /in the change of 'port' for 'a'/,
    { cause: expect.anything() },
  ],
  [errors.notHandled('rung'), 'NOT_HANDLED', /'rung' was dispatched/],
  [
    errors.dataTooDeep('It', '/a/b/c/d/e', 1000),
    'TOO_DEEP',
    /more than 1000 levels deep \(below \/a\/b\/c\)/,
    { path: '/a/b/c' },
  ],
  [errors.chainTooDeep('a', 'z'), 'TOO_DEEP', /begins with 'a', and 'z' is one too many/],
  [errors.badArgument('s', '/0'), 'BAD_ARGUMENT', /'s' must be plain data.*the one at \/0/, { path: '/0' }],
  [errors.closed('read'), 'CLOSED', /read was called on a runtime that is closed/],
  [errors.noRuntimeOnServer(), 'NO_RUNTIME', /no runtime here.*createRuntime/],
  [errors.badPointer('a', 'why'), 'BAD_POINTER', /'a' is not a JSON Pointer.*: why\./, { path: 'a' }],
  [errors.patchFailed(2, '/a', 'why'), 'PATCH_FAILED', /Operation 2 .*'\/a'.*: why\. Nothing/, { path: '/a' }],
  [errors.invariantBroken('r', 'a'), 'INVARIANT_BROKEN', /'r' does not hold after 'a'\.$/],
  [errors.invariantBroken('r', 'a', cause), 'INVARIANT_BROKEN', /'a' \(it threw: the reason\)\.$/, { cause }],
  [errors.proceededTwice('a'), 'PROCEEDED_TWICE', /decided twice about 'a'/],
  [errors.asyncInAtomic('waiting'), 'ASYNC_IN_ATOMIC', /so waiting is not possible/],
  [errors.impureChange('a', 'port', '/n'), 'IMPURE_CHANGE', /two different results.*first at '\/n'/, { path: '/n' }],
  [errors.notItsOwn('left'), 'NOT_ITS_OWN', /'left'\.its\(/],
  [errors.fieldsLost('port', ['a', 'b']), 'FIELDS_LOST', /'port' no longer declares 'a', 'b';/],
  [errors.badSnapshot('why'), 'BAD_SNAPSHOT', /not a snapshot of a runtime: why\./],
  [errors.runCancelled('load', 'left'), 'RUN_CANCELLED', /'load' was cancelled \(left\)\./],
  [errors.needMissing('desk', 'load'), 'NEED_MISSING', /'load' needs 'desk'.*desk\.by/],
  [errors.notATaskCall(Object.assign(() => 0, {})), 'NOT_A_TASK_CALL', /itself\. Call it/],
  [errors.notATaskCall(null), 'NOT_A_TASK_CALL', /needs the call of a task.*\(found: null\)/],
  [errors.notATaskCall(7), 'NOT_A_TASK_CALL', /\(found: number\)/],
  [errors.droppedWithout('a', 'rehydrated', cause), 'DROPPED', /'a' came while the stored state/, { cause }],
  [errors.droppedWithout('a', 'b', cause), 'DROPPED', /'a' built on 'b', which was reverted.*the reason/, { cause }],
];

test.each(all.map(([error, ...more]) => [error.code, error, ...more] as const))(
  '%s',
  (_code, error, code, text, more = {}) => {
    expect([error.name, error.code]).toEqual(['FloeError', `FLOE_${code}`]);
    expect(error.message).toMatch(text);
    expect(error.message).not.toMatch(/^FLOE_|\bfalse\b/);
    expect({ cause: error.cause, path: error.path }).toEqual({ cause: undefined, path: undefined, ...more });
  },
);
