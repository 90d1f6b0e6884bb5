/** Two beads, one on the other. */
export function Mark() {
  return (
    <svg width="26" height="20" viewBox="0 0 26 20" aria-hidden="true">
      <rect x="1" y="11" width="24" height="8" rx="4" fill="currentColor" />
      <rect x="1" y="2" width="24" height="8" rx="4" className="fill-molten" />
    </svg>
  );
}
