import type { ReactNode } from "react";

/** A sheet with a head line: what it is, what it shows, what can be done. */
export function Panel({
  title,
  says,
  aside,
  children,
  className = "",
}: {
  title: string;
  says?: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  return (
    <section aria-label={title} className={`panel flex min-h-0 min-w-0 flex-col ${className}`}>
      <header className="flex min-h-9 items-center gap-4 px-3 pt-1">
        <h2 className="font-semibold whitespace-nowrap">{title}</h2>
        {says && <span className="truncate text-[13px] text-soft">{says}</span>}
        {aside && <span className="ml-auto flex items-center gap-3">{aside}</span>}
      </header>
      {children}
    </section>
  );
}

/** A place where nothing is yet: what belongs here, and the one next step. */
export function Empty({ says, children }: { says: string; children?: ReactNode }) {
  return (
    <div className="flex flex-1 flex-col items-center justify-center gap-3 p-8 text-center text-soft">
      <p className="max-w-96">{says}</p>
      {children}
    </div>
  );
}

/** What went wrong, in a sentence. */
export function Wrong({ error }: { error: Error | null | undefined }) {
  if (!error) return null;
  return (
    <p role="alert" className="mx-3 my-2 border-l-4 border-reef px-2 text-[13px] leading-5 text-reef">
      {error.message}
    </p>
  );
}
