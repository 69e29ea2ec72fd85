// Lines that show when a byte of them changed: each begins with the checksum (CRC-32, ISO 3309) of the rest of it and of
// all lines before, so that no line can be damaged, left out, put elsewhere or belong to another text without being noticed.
import { crc32 } from './crc32.js';

/** A line, and the checksum that the next line continues. */
export interface ChecksummedLine {
  /** One line of JSON, without its end. */
  readonly line: string;
  readonly sum: number;
}

const PREFIX = /^\{"sum":"([0-9a-f]{8})",/;
const PREFIX_LENGTH = '{"sum":"12345678",'.length;

/** Not there in every simulated page. */
const encoder = typeof TextEncoder === 'undefined' ? undefined : new TextEncoder();

/** So many characters at a time fit into the bytes, whatever they are. */
const PIECE = 1 << 14;
const bytes = new Uint8Array(3 * PIECE);

/** Over the UTF-8 bytes, piece by piece: several times as fast as over the characters, or over a long text at once. */
function checksum(text: string, before: number): number {
  if (!encoder) return crc32(Uint8Array.from(utf8(text)), before);
  let sum = before;
  for (let at = 0; at < text.length;) {
    let end = Math.min(at + PIECE, text.length);
    // The halves of a character stay together.
    if (end < text.length && (text.charCodeAt(end - 1) & 0xfc00) === 0xd800) end--;
    const { written } = encoder.encodeInto(text.slice(at, end), bytes);
    sum = crc32(bytes.subarray(0, written), sum);
    at = end;
  }
  return sum;
}

/** The bytes of a text in UTF-8 (RFC 3629); half a character becomes U+FFFD, as with `TextEncoder`. */
function* utf8(text: string): Iterable<number> {
  for (const character of text) {
    let code = character.codePointAt(0)!;
    if (code >= 0xd800 && code < 0xe000) code = 0xfffd;
    const more = code < 0x80 ? 0 : code < 0x800 ? 1 : code < 0x10000 ? 2 : 3;
    yield [0, 0xc0, 0xe0, 0xf0][more] | (code >> (6 * more));
    for (let i = more - 1; i >= 0; i--) yield 0x80 | ((code >> (6 * i)) & 0x3f);
  }
}

export const hex = (sum: number): string => (sum >>> 0).toString(16).padStart(8, '0');

/** The checksum of a text of one line, taken from its bytes while they come. */
export class LineSum {
  private at = 0;
  private sum = 0;
  /** The last byte is the end of the line, perhaps. */
  private last: Uint8Array | undefined;

  readonly add = (piece: Uint8Array): void => {
    if (piece.length === 0) return;
    if (this.last) this.sum = crc32(this.last, this.sum);
    const from = Math.min(Math.max(0, PREFIX_LENGTH - this.at), piece.length);
    this.at += piece.length;
    const end = Math.max(from, piece.length - 1);
    this.sum = crc32(piece.subarray(from, end), this.sum);
    this.last = piece.slice(end);
  };

  /** Nothing where no bytes came. */
  get value(): number | undefined {
    return this.at === 0 ? undefined : this.sum;
  }
}

/** @param before the checksum of the line before; of a first line none */
export function seal(members: object, before = 0): ChecksummedLine {
  const rest = JSON.stringify(members).slice(1);
  const sum = checksum(rest, before);
  return { line: `{"sum":"${hex(sum)}",${rest}`, sum };
}

/**
 * The members of a sealed line.
 * @param known its checksum, if it is a line
 * @throws Error when it is not what was written there
 */
export function unseal(
  line: string,
  before = 0,
  known?: number,
): { readonly value: Record<string, unknown>; readonly sum: number } {
  const written = PREFIX.exec(line)?.[1];
  if (written === undefined) throw new Error('it does not begin with its checksum');
  const sum = known !== undefined && hex(known) === written ? known : checksum(line.slice(PREFIX_LENGTH), before);
  if (hex(sum) !== written) throw new Error(`its checksum is ${hex(sum)}, not ${written}`);
  return { value: JSON.parse(line) as Record<string, unknown>, sum };
}
