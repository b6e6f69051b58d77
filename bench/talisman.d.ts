// The part of talisman that the bench measures against; it ships no types.
declare module 'talisman/metrics/jaro-winkler.js' {
  export default function jaroWinkler(a: string, b: string): number;
}
