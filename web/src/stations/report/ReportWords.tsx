/** What the whole report is, as a sentence: its title, language, paper and run. */
import type { ReportBody, RunBody } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { runOptions } from "./blocks";

type Props = {
  body: ReportBody;
  run: RunBody | undefined;
  runs: RunBody[];
  onSet: (part: Partial<ReportBody>) => Promise<unknown>;
  onLetterhead: () => void;
};

export function ReportWords({ body, run, runs, onSet, onLetterhead }: Props) {
  return (
    <p className="px-3 leading-7">
      The report is called{" "}
      <TypedWord label="Title" value={body.title} width="26ch" onSet={(title) => onSet({ title })} plain />, written in{" "}
      <ChosenWord
        label="Language"
        value={body.language ?? "english"}
        options={[
          { value: "english", says: "English" },
          { value: "german", says: "German" },
        ]}
        onSet={(language) => onSet({ language })}
      />
      {" on "}
      <ChosenWord
        label="Paper"
        value={body.paper ?? "a4"}
        options={[
          { value: "a4", says: "A4" },
          { value: "letter", says: "US Letter" },
        ]}
        onSet={(paper) => onSet({ paper })}
      />
      {" under the "}
      <Button look="link" onClick={onLetterhead}>
        letterhead
      </Button>
      , about{" "}
      <ChosenWord label="Run" value={run?.id ?? 0} options={runOptions(runs)} onSet={(run_id) => onSet({ run_id })} />.
    </p>
  );
}
