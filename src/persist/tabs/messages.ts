// What the tabs of one browser tell each other. States and patches are encoded as in what is stored.

/** The name of a store, a number of its order, and something of it. */
type Numbered = readonly [store: string, number: number, value: unknown];

/** Where a store stands: the version of the store, the line of its order, the number in it, and the kept part. */
export type Standing = readonly [store: string, version: number, line: number, number: number, part: unknown];

/** One thing that a tab did and wants to be ordered. */
export interface Proposal {
  /** Counts up in one tab. */
  readonly id: number;
  /** The one of this tab that must have been ordered before it; 0 for the first. */
  readonly previous: number;
  /** Counts up each time that it is proposed. */
  readonly attempt: number;
  /** The type of the action, or what else it was. */
  readonly type: string;
  /** For each store the number of its order on which the patch was computed. */
  readonly changes: readonly Numbered[];
}

export type Message =
  /** Where do these stores stand in the order? */
  | { readonly kind: 'hello'; readonly from: string; readonly stores: readonly string[] }
  /** I order, later than everybody of an earlier term. `done`: up to where the proposals of each tab were ordered. */
  | {
      readonly kind: 'leads';
      readonly from: string;
      readonly to?: string;
      /** Stores that this tab still reads, or is still to be told of: their standing follows. */
      readonly reading: readonly string[];
      /** Stores of which this tab knows nothing: those who have them say where they stand. */
      readonly wanted: readonly string[];
      readonly term: number;
      readonly done: readonly (readonly [tab: string, id: number])[];
      readonly stores: readonly Standing[];
    }
  /** I am about to lead, and know so much of these: who knows more? */
  | {
      readonly kind: 'takes';
      readonly from: string;
      /** Counts up each time that it asks. */
      readonly round: number;
      readonly stores: readonly (readonly [store: string, line: number, number: number])[];
    }
  /** So much is known here that is not known there. */
  | {
      readonly kind: 'knows';
      readonly from: string;
      readonly to: string;
      readonly round: number;
      readonly done: readonly (readonly [tab: string, id: number])[];
      readonly stores: readonly Standing[];
    }
  /** Where a store stands that the leader does not have: number 0 of line 0 where no leader has ordered it. */
  | { readonly kind: 'brings'; readonly from: string; readonly to: string; readonly store: Standing }
  /** To the one that leads in this term. */
  | {
      readonly kind: 'proposed';
      readonly from: string;
      readonly term: number;
      readonly proposals: readonly Proposal[];
    }
  /** The next in the order: a patch for each store, with its new number. */
  | {
      readonly kind: 'ordered';
      readonly from: string;
      readonly term: number;
      readonly of?: { readonly tab: string; readonly id: number };
      readonly type: string;
      readonly changes: readonly Numbered[];
    }
  /** Something else was ordered first, or it cannot be applied at all: then `why` says so. */
  | {
      readonly kind: 'refused';
      readonly from: string;
      readonly to: string;
      readonly id: number;
      readonly attempt: number;
      readonly why?: string;
    }
  /** The storage is the leader's: the others ask it. */
  | {
      readonly kind: 'asked';
      readonly from: string;
      readonly id: number;
      readonly what: StorageRequest;
      readonly stores: readonly string[];
    }
  | { readonly kind: 'answered'; readonly from: string; readonly to: string; readonly id: number; readonly ok: boolean }
  /** Something was stored or forgotten. */
  | { readonly kind: 'stored'; readonly from: string }
  | { readonly kind: 'problem'; readonly from: string; readonly code: string; readonly message: string };

/** What only the one that writes can do. */
export type StorageRequest = 'flush' | 'forget' | 'rehydrate';
