// A form that is state: what is typed, what is wrong with it, the saving of it, and what the office says.
import { need, selector, store, task } from 'floe';

export interface Member {
  readonly badge: string;
  readonly name: string;
  readonly role: string;
}
export interface Office {
  /** @throws where the office refuses */
  signOn(member: Member): Promise<void>;
}
export const office = need<Office>('office');

export const ROLES = ['pilot', 'tug master', 'crane driver', 'line handler'];
const empty = { badge: '', name: '', role: '', telephone: '' };
export type Field = keyof typeof empty;

/**
 * What is typed, kept while it is not sent: a reload loses nothing. Version 1 had first and last names apart; what a user typed into
 * that one is still there after the upgrade.
 */
export const form = store('form', { values: empty, left: [] as Field[] }).persisted({
  version: 2,
  upgrade: [
    (before) => {
      const { first = '', last = '', ...rest } = before as { first?: string; last?: string };
      return { values: { ...empty, ...rest, name: `${first} ${last}`.trim() }, left: [] };
    },
  ],
});
export const typed = form.action('typed', (draft, { field, value }: { field: Field; value: string }) => {
  draft.values[field] = value;
});
/** A field was left: from now on the page says what is wrong with it. */
export const fieldLeft = form.action('fieldLeft', (draft, field: Field) => {
  if (!draft.left.includes(field)) draft.left.push(field);
});
export const sendTried = form.action('sendTried', (draft) => {
  draft.left = Object.keys(empty) as Field[];
});
export const formCleared = form.action('cleared', () => ({ values: empty, left: [] }));

export const crew = store('crew', { members: [] as Member[], notice: '' });
export const memberSigned = crew.action('memberSigned', (draft, member: Member) => {
  draft.members.unshift(member);
});
export const refused = crew.action('refused', (draft, reason: string) => {
  draft.notice = reason;
});
export const noticeDismissed = crew.action('noticeDismissed', (draft) => {
  draft.notice = '';
});
// An edit makes an old refusal untrue.
crew.when([typed, formCleared], (draft) => {
  draft.notice = '';
});
export const stores = [form, crew];

const rules: Readonly<Record<Field, (value: string) => string | undefined>> = {
  badge: (value) => (/^[A-Z]-\d{3}$/.test(value) ? undefined : 'A letter, a hyphen, three digits: P-117.'),
  name: (value) => (value.trim().includes(' ') ? undefined : 'First and last name, please.'),
  role: (value) => (ROLES.includes(value) ? undefined : 'Choose what they do.'),
  telephone: (value) => (value === '' || /^[\d ]{4,}$/.test(value) ? undefined : 'Digits and spaces only, or nothing.'),
};

/** What is wrong with a field, whether or not the page says so yet. */
export const fault = form.selector('fault', ({ values }, field: Field) => rules[field](values[field]));

/** What the page says of a field: nothing before it was left. */
export const shownFault = selector('shownFault', (read, field: Field) =>
  read(form).left.includes(field) ? read(fault(field)) : undefined,
);

export const faults = selector('faults', (read) =>
  (Object.keys(rules) as Field[]).filter((field) => read(fault(field)) !== undefined),
);

/** Sends the form. It stays as it is while the office has not accepted it. */
export const signOn = task(
  crew,
  'signOn',
  async ({ dispatch, read, use, atomic }) => {
    dispatch(sendTried());
    if (read(faults).length > 0) return;
    const { badge, name, role } = read(form).values;
    const server = use(office);
    try {
      await server.signOn({ badge, name, role });
    } catch (error) {
      dispatch(refused((error as Error).message));
      return;
    }
    atomic(() => {
      dispatch(memberSigned({ badge, name, role }));
      dispatch(formCleared());
    });
  },
  // A second press while one is under way does nothing.
  { overlap: 'ignore' },
);

export const isSending = selector('isSending', (read) => read(signOn.status).phase === 'running');
