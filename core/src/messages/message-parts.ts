// How many parts a text message is sent in, and paid for: 3GPP TS 23.038 (GSM 03.38), section 6.2.1, for the alphabet;
// TS 23.040, section 9.2.3.24.1, for what a header of joined parts leaves of each.

/** The default alphabet, in the order of its codes; the escape is left out. */
const basic = new Set(
  '@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !"#¤%&\'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà',
);

/** What stands behind the escape: each takes the room of two. */
const extended = new Set('\f^{}\\[~]|€');

/** Characters of the default alphabet that one message holds alone, and each part of several. */
const gsm = { alone: 160, joined: 153 };
/** The same in the 16-bit alphabet (UCS-2), to which one sign that isn't in the default one leads. */
const wide = { alone: 70, joined: 67 };

export interface MessageParts {
  readonly alphabet: 'gsm' | 'wide';
  /** The room that it takes, in signs of its alphabet. */
  readonly units: number;
  readonly parts: number;
  /** What the default alphabet lacks, each once: without these it would take fewer parts. */
  readonly strange: readonly string[];
}

/** The parts of a text as it is sent. A sign that takes the room of two is never cut in two. */
export function messageParts(text: string): MessageParts {
  const signs = [...text];
  const strange = [...new Set(signs.filter((sign) => !basic.has(sign) && !extended.has(sign)))];
  const alphabet = strange.length === 0 ? 'gsm' : 'wide';
  const rooms = signs.map((sign) => (alphabet === 'wide' ? sign.length : extended.has(sign) ? 2 : 1));
  const units = rooms.reduce((sum, room) => sum + room, 0);
  const { alone, joined } = alphabet === 'gsm' ? gsm : wide;
  return { alphabet, units, parts: units <= alone ? 1 : partsOf(rooms, joined), strange };
}

function partsOf(rooms: readonly number[], most: number): number {
  let parts = 1;
  let used = 0;
  for (const room of rooms) {
    if (used + room > most) {
      parts += 1;
      used = 0;
    }
    used += room;
  }
  return parts;
}
