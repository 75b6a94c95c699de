import type { ButtonHTMLAttributes, ReactNode } from "react";

type Look = "plain" | "main" | "hot" | "link";
const looks: Record<Look, string> = {
  plain: "bg-sheet border border-ink text-ink hover:bg-shoal",
  main: "bg-harbour border border-harbour text-sheet",
  hot: "hot bg-buoy border border-buoy text-sheet",
  link: "text-harbour hover:underline px-0! h-auto!",
};

/** A button with its key shown. */
export function Button({
  look = "plain",
  hint,
  children,
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look; hint?: string; children: ReactNode }) {
  return (
    <button
      type="button"
      className={`inline-flex h-8 items-center gap-2 rounded-chart px-3 font-semibold whitespace-nowrap disabled:cursor-default disabled:opacity-45 ${looks[look]} ${className}`}
      {...rest}
    >
      {children}
      {hint && <kbd aria-hidden>{hint}</kbd>}
    </button>
  );
}
