// What an operation of a program is to the player.
import type { Player } from '../player.js';
import type { Operation } from '../program.js';
import type { Session } from '../session.js';

export interface Act {
  readonly group: 'act' | 'work' | 'time' | 'undo' | 'store' | 'keep' | 'session' | 'tabs' | 'weather';
  /** How often it comes. */
  readonly weight: number;
  /** It has operations inside. */
  readonly holds?: true;
  /** Why it cannot be inside of a transaction. */
  readonly outside?: string;
  /** It may remove what was noted: then what was acknowledged need not be there in the end. */
  readonly removes?: boolean;
  /** Returns what became of it, for comparing. */
  perform(player: Player, session: Session, operation: Operation): string | Promise<string>;
}

export const NOTHING = 'nothing to do';

export const at = <T>(list: readonly T[], index: number): T | undefined => list[index % Math.max(1, list.length)];
