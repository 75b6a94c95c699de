/** Over what a block is repeated, and which of it is shown. */
import { ChosenWord } from "../../ui/Word";
import { type Block, keptIn } from "./blocks";

type Props = { block: Block; onSet: (part: Partial<Omit<Block, "id">>) => unknown };

export function RepeatedWords({ block, onSet }: Props) {
  const { show, each } = block;
  const many = each === "channel" || each === "point";
  return (
    <p>
      It stands there{" "}
      <ChosenWord
        label="Repeated over"
        value={each ?? "once"}
        options={[
          { value: "once", says: "once" },
          { value: "channel", says: "once for each channel" },
          { value: "point", says: "once for each point" },
          ...(keptIn(show) === undefined
            ? [
                { value: "run", says: "once for each run" },
                { value: "take", says: "once for each take" },
              ]
            : []),
        ]}
        onSet={(to) => {
          const next = to === "once" ? null : (to as Block["each"]);
          // Limits are said for channels alone.
          onSet({ each: next, ...(next === "channel" || next === "point" ? {} : { only: "all" }) });
        }}
      />
      {many && show.what !== "limits" && (
        <>
          {" "}
          <ChosenWord
            label="Which of them"
            value={block.only ?? "all"}
            options={[
              { value: "all", says: "of all", face: "of all" },
              { value: "limited", says: "that a limit of this report is said for", face: "with a limit" },
              { value: "exceeded", says: "that is not within its limit", face: "beyond its limit" },
            ]}
            onSet={(only) => onSet({ only })}
          />
        </>
      )}
      .
    </p>
  );
}
