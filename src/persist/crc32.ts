// The checksum CRC-32 (ISO 3309, the reflected polynomial 0xEDB88320), eight bytes at a time by as many tables
// (M. E. Kounavis, F. L. Berry: A Systematic Approach to Building High Performance Software-based CRC Generators, 2005).

/** The first has what one byte comes to, each of the others what it comes to with one more byte of zeros behind it. */
function makeTables(): readonly Int32Array[] {
  const made = Array.from({ length: 8 }, () => new Int32Array(256));
  for (let byte = 0; byte < 256; byte++) {
    let sum = byte;
    for (let bit = 0; bit < 8; bit++) sum = sum & 1 ? (sum >>> 1) ^ 0xedb88320 : sum >>> 1;
    made[0][byte] = sum;
  }
  for (let i = 1; i < 8; i++)
    for (let byte = 0; byte < 256; byte++) {
      const before = made[i - 1][byte];
      made[i][byte] = (before >>> 8) ^ made[0][before & 255];
    }
  return made;
}

// Constants of the module: an engine reads them faster than members or locals.
const [one, two, three, four, five, six, seven, eight] = /* @__PURE__ */ makeTables();

/**
 * The checksum of bytes.
 * @param before the checksum of the bytes that stand before them. Default: none do
 * @returns 32 bits, signed
 */
export function crc32(bytes: Uint8Array, before = 0): number {
  let sum = ~before;
  let at = 0;
  for (const last = bytes.length - 7; at < last;)
    sum =
      eight[bytes[at++] ^ (sum & 255)] ^
      seven[bytes[at++] ^ ((sum >> 8) & 255)] ^
      six[bytes[at++] ^ ((sum >> 16) & 255)] ^
      five[bytes[at++] ^ (sum >>> 24)] ^
      four[bytes[at++]] ^
      three[bytes[at++]] ^
      two[bytes[at++]] ^
      one[bytes[at++]];
  while (at < bytes.length) sum = (sum >>> 8) ^ one[(sum ^ bytes[at++]) & 255];
  return ~sum;
}
