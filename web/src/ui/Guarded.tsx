/** Keeps a fault of one part of the page from taking the rest with it. */
import type { ReactNode } from "react";
import { ErrorBoundary } from "react-error-boundary";
import { Button } from "./Button";

type Props = {
  /** What it is, as “The panel Spectrum”. */
  what: string;
  /** It is tried again when one of these changes. */
  again?: unknown[];
  children: ReactNode;
};

export function Guarded({ what, again, children }: Props) {
  return (
    <ErrorBoundary
      {...(again ? { resetKeys: again } : {})}
      fallbackRender={({ error, resetErrorBoundary }) => (
        <div
          role="alert"
          className="m-2 flex min-w-0 flex-col items-start gap-1 border-l-4 border-reef px-2 text-[13px] text-reef"
        >
          <span>
            {what} could not be drawn, by a fault of this page: {String((error as Error)?.message ?? error)}. Everything
            else goes on.
          </span>
          <Button look="link" onClick={resetErrorBoundary}>
            Try again
          </Button>
        </div>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}
