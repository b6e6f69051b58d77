/** The mark: two short pine strokes and a brass one between them. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 20" width="30" height="19" aria-hidden="true" strokeWidth="3" strokeLinecap="round">
      <path d="M3 17 9 4" stroke="var(--pine)" />
      <path d="m10.5 14 11-8" stroke="var(--brass-fill)" />
      <path d="m23 17 6-13" stroke="var(--pine)" />
    </svg>
  );
}
