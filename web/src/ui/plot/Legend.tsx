import { traceDash } from "../traces";

/** Legend entries with the dash their curves have. */
export function Legend({ names }: { names: string[] }) {
  return (
    <span className="ml-auto flex flex-wrap justify-end gap-x-4 text-[12px]">
      {names.map((n, i) => (
        <span key={n} className="flex items-center gap-1.5">
          <svg width="22" height="8" aria-hidden>
            <path
              d="M0 4h22"
              stroke={`var(--t${(i % 8) + 1})`}
              strokeWidth="2"
              strokeDasharray={traceDash(i).join(" ")}
            />
          </svg>
          {n}
        </span>
      ))}
    </span>
  );
}
