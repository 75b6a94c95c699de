/** A column's heading: order, filter, hide. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { ColumnKey } from "./columns";
import type { View } from "./view";

type Props = {
  name: ColumnKey | "input";
  head: string;
  right?: boolean | undefined;
  view: View;
  onView: (part: Partial<View>) => void;
};

export function ColumnHead({ name, head, right, view, onView }: Props) {
  const ordered = view.order.key === name && (name !== "input" || view.order.down);
  const filter = name === "input" ? undefined : view.filters[name];
  return (
    <span role="columnheader" className="min-w-0">
      <Popover className="relative">
        <PopoverButton
          className={`block w-full truncate px-1 py-1.5 ${right ? "text-right" : "text-left"} ${filter ? "font-semibold text-mark" : ""} hover:text-harbour`}
        >
          {head}
          {ordered && (view.order.down ? " ↓" : " ↑")}
          {filter && " ="}
        </PopoverButton>
        <PopoverPanel
          focus
          anchor={right ? "bottom end" : "bottom start"}
          className="panel z-30 flex w-56 flex-col gap-1 p-2 font-sans text-[13px] text-ink shadow-lg"
        >
          {({ close }) => (
            <>
              {name !== "input" && (
                <input
                  aria-label={`Only rows whose ${head} contains`}
                  placeholder={`only where ${head} contains`}
                  className="panel h-7 px-2"
                  defaultValue={filter ?? ""}
                  onChange={(e) => onView({ filters: { ...view.filters, [name]: e.target.value } })}
                  onKeyDown={(e) => e.key === "Enter" && close()}
                />
              )}
              <Choice
                says="Sort A–Z"
                onChoose={() => {
                  onView({ order: { key: name, down: false } });
                  close();
                }}
              />
              <Choice
                says="Largest first"
                onChoose={() => {
                  onView({ order: { key: name, down: true } });
                  close();
                }}
              />
              {name !== "input" && (
                <Choice says="Hide this column" onChoose={() => onView({ hidden: [...view.hidden, name] })} />
              )}
            </>
          )}
        </PopoverPanel>
      </Popover>
    </span>
  );
}

function Choice({ says, onChoose }: { says: string; onChoose: () => void }) {
  return (
    <button type="button" className="px-1 py-0.5 text-left hover:bg-shoal" onClick={onChoose}>
      {says}
    </button>
  );
}
