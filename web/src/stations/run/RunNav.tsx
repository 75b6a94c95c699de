/** The views of Run, and what belongs beside them. */
import type { ReactNode } from "react";
import { NavLink } from "react-router";
import { useTo } from "../../shell/address";

const views = [
  { path: "", says: "Bench" },
  { path: "taps", says: "Tap series" },
];

export function RunNav({ view, children }: { view: string; children?: ReactNode }) {
  const to = useTo();
  return (
    <nav aria-label="Views of the run" className="flex items-end gap-5 border-b border-rule">
      {views.map((v) => (
        <NavLink
          key={v.path}
          end
          to={to(v.path ? `/run/${v.path}` : "/run")}
          className={`pb-1 ${v.path === view ? "border-b-2 border-harbour font-semibold" : "text-soft"}`}
        >
          {v.says}
        </NavLink>
      ))}
      {children}
    </nav>
  );
}
