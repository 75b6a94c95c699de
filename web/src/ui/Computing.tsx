/** How far something is that the server computes, with a way to stop it and to make it after all. */
import { Button } from "./Button";
import type { WatchedState } from "./useWatched";

export function Computing({ of }: { of: WatchedState }) {
  return (
    <>
      {of.isFetching && (
        <span className="text-soft">
          {of.ahead === undefined
            ? " · computing "
            : ` · waits for room, ${of.ahead === 0 ? "next in turn" : `${of.ahead} before it`} `}
          {of.share !== undefined ? (
            <>
              <span className="num">{Math.round(100 * of.share)} %</span>{" "}
              <Button look="link" onClick={of.stop}>
                Stop
              </Button>
            </>
          ) : (
            "…"
          )}
        </span>
      )}
      {of.stopped && (
        <span className="text-lamp">
          {" · stopped "}
          <Button look="link" onClick={of.again}>
            Retry
          </Button>
        </span>
      )}
    </>
  );
}

/** The same as a line of its own, once it takes longer or was stopped. */
export function ComputingLine({ says, of }: { says: string; of: WatchedState }) {
  if (of.share === undefined && of.ahead === undefined && !of.stopped) return null;
  return (
    <p className="px-3 text-[13px]">
      {says}
      <Computing of={of} />
    </p>
  );
}
