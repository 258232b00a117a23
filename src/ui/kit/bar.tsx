/** A bar in the colour of its text, as wide as a share (0 to 1) of where it stands; at least to be seen. */
export function Bar({ share, className }: { share: number; className: string }) {
  return (
    <svg className={`block w-full ${className}`} preserveAspectRatio="none" aria-hidden="true">
      <rect width={`${Math.max(1, 100 * share)}%`} height="100%" fill="currentColor" />
    </svg>
  );
}
