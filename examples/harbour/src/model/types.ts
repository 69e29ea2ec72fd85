// The harbour's data, as the office sends it: nested, times in UTC as ISO 8601 text.

export type Phase = 'expected' | 'alongside' | 'departed' | 'cancelled';
export type VesselKind = 'ferry' | 'trawler' | 'coaster' | 'tug' | 'survey';

export interface Operator {
  readonly id: string;
  readonly name: string;
  readonly flag: string;
}

export interface Vessel {
  readonly hull: string;
  readonly name: string;
  readonly kind: VesselKind;
  /** Metres. */
  readonly length: number;
  /** Metres. */
  readonly draught: number;
  readonly operator: Operator;
}

export interface Berth {
  readonly id: string;
  readonly kind: 'berth';
  readonly quay: string;
  /** Metres. */
  readonly length: number;
  /** Metres. */
  readonly depth: number;
  readonly services: readonly ('power' | 'water' | 'fuel')[];
}

export interface Anchorage {
  readonly id: string;
  readonly kind: 'anchorage';
  readonly name: string;
  /** Metres. */
  readonly depth: number;
}

export interface Crew {
  readonly badge: string;
  readonly name: string;
  readonly role: string;
  readonly onShift: boolean;
}

export interface Service {
  readonly id: string;
  readonly kind: 'pilot' | 'tug' | 'bunkering' | 'crane';
  readonly status: 'booked' | 'under way' | 'done';
  readonly minutes: number;
  readonly crew: Crew;
}

export interface Visit {
  readonly id: string;
  readonly phase: Phase;
  readonly arrives: string;
  readonly departs: string | null;
  readonly priority: 'normal' | 'high';
  readonly remarks: string;
  readonly vessel: Vessel;
  readonly place: Berth | Anchorage;
  readonly services: readonly Service[];
}

/** What is needed to plan a visit. */
export interface Plan {
  readonly hull: string;
  readonly place: string;
  readonly arrives: string;
  readonly departs: string;
}

/** What rarely changes: where vessels can lie, and which vessels call here. */
export interface Port {
  readonly berths: readonly Berth[];
  readonly vessels: readonly Vessel[];
}

/** Where a vessel is, in nautical miles from the harbour mouth. */
export interface Position {
  readonly hull: string;
  readonly north: number;
  readonly east: number;
}
