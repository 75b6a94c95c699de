/** How far something is, as a bar. */
export function ShareBar({ share }: { share: number }) {
  return (
    <span className="h-1.5 w-28 bg-rule">
      <span className="block h-full bg-harbour" style={{ width: `${100 * share}%` }} />
    </span>
  );
}
