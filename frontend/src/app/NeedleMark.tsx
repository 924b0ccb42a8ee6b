/** A needle drawing a madder-red thread. */
export function NeedleMark() {
  return (
    <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true" fill="none">
      <path d="M3 19 L17 5" stroke="currentColor" strokeWidth="1.8" />
      <ellipse cx="17.6" cy="4.4" rx="1.5" ry="3" transform="rotate(45 17.6 4.4)" stroke="currentColor" strokeWidth="1.4" />
      <path d="M17 5 C 9 4, 15 14, 8 12 S 6 5, 2 8" stroke="#AE4337" strokeWidth="1.2" />
    </svg>
  );
}
