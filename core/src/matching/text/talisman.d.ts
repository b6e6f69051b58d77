// The parts of talisman that tests use as oracles; it ships no types.
declare module 'talisman/phonetics/soundex' {
  export default function soundex(text: string): string;
}
declare module 'talisman/metrics/jaro' {
  export default function jaro(a: string, b: string): number;
}
declare module 'talisman/metrics/jaro-winkler' {
  export default function jaroWinkler(a: string, b: string): number;
}
