/** A campaign begun as a sentence: on what, for what, with which rig. */
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { within } from "../shell/address";
import { Button } from "../ui/Button";
import { Wrong } from "../ui/Panel";
import { ChosenWord } from "../ui/Word";
import { TakeIn } from "./TakeIn";
import { type Shelved, useBegin } from "./useShelf";

/** What it begins with, each on its branch. */
const BRANCHES = ["campaign", "empty", "file"] as const;
type With = (typeof BRANCHES)[number];

const ROW = 34;

/** Lines from the sentence to each branch: full to the one that is taken. */
function Fork({ rows, taken }: { rows: number; taken: number }) {
  const middle = (rows * ROW) / 2;
  return (
    <svg width="42" height={rows * ROW} aria-hidden className="mx-1 shrink-0">
      {Array.from({ length: rows }, (_, i) => i)
        .sort((a, b) => Number(a === taken) - Number(b === taken))
        .map((i) => {
          const y = (i + 0.5) * ROW;
          return (
            <path
              key={i}
              d={`M2 ${middle}C22 ${middle} 14 ${y} 38 ${y}`}
              fill="none"
              stroke={i === taken ? "var(--harbour)" : "var(--ink-soft)"}
              strokeWidth={i === taken ? 2.5 : 1.5}
              strokeDasharray={i === taken ? undefined : "3 3"}
            />
          );
        })}
    </svg>
  );
}

export function Begin({ all, first, from }: { all: Shelved[]; first: boolean; from: Shelved | undefined }) {
  const [specimen, setSpecimen] = useState("");
  const [purpose, setPurpose] = useState("");
  const [way, setWay] = useState<With>("empty");
  const [of, setOf] = useState(0);
  const [file, setFile] = useState<File>();
  const [taking, setTaking] = useState<File>();
  const [lacks, setLacks] = useState<Error>();
  const begin = useBegin();
  const navigate = useNavigate();
  // Somebody asked for a copy of a campaign: its words stand there, to be changed.
  useEffect(() => {
    if (!from) return;
    setSpecimen(from.specimen);
    setPurpose(from.purpose);
    setWay("campaign");
    setOf(from.id);
    document.getElementById("begin-specimen")?.focus();
  }, [from]);
  const other = all.find((c) => c.id === of) ?? all[0];
  const ways = BRANCHES.filter((w) => w !== "campaign" || all.length > 0);
  const taken = ways.includes(way) ? way : "empty";
  const go = () => {
    setLacks(undefined);
    if (taken === "file") {
      if (file) setTaking(file);
      else setLacks(new Error("Choose the campaign file first."));
      return;
    }
    begin.mutate(
      {
        specimen,
        purpose,
        with: taken === "campaign" && other ? { from: "campaign", campaign: other.id } : { from: "empty" },
      },
      { onSuccess: (id) => navigate(within(id, "/rig")) },
    );
  };
  return (
    <form
      aria-label="Begin a campaign"
      className="py-6 text-[18px]"
      onSubmit={(e) => {
        e.preventDefault();
        go();
      }}
    >
      {first && (
        <p className="max-w-2xl pb-4 text-[14px] leading-5 text-soft">
          There is no campaign yet. A campaign is all the work on one specimen for one purpose: its rig, plan, runs,
          results and report. Say what is tested and what for; after that you plug in the front end and fill the rig.
        </p>
      )}
      <div className="flex items-center">
        <span className={`whitespace-nowrap ${taken === "file" ? "opacity-40" : ""}`}>
          Begin a campaign on{" "}
          <input
            id="begin-specimen"
            aria-label="What is tested"
            placeholder="what is tested"
            className="word w-48 font-sans!"
            value={specimen}
            onChange={(e) => setSpecimen(e.target.value)}
          />{" "}
          for{" "}
          <input
            aria-label="For what purpose"
            placeholder="what purpose"
            className="word w-48 font-sans!"
            value={purpose}
            onChange={(e) => setPurpose(e.target.value)}
          />
        </span>
        <Fork rows={ways.length} taken={ways.indexOf(taken)} />
        <fieldset className="min-w-0">
          <legend className="sr-only">What it begins with</legend>
          {ways.map((w) => (
            <label
              key={w}
              className={`flex items-center gap-2 whitespace-nowrap ${w === taken ? "" : "text-soft"}`}
              style={{ height: ROW }}
            >
              <input type="radio" name="begins-with" checked={w === taken} onChange={() => setWay(w)} />
              {w === "empty" && "with an empty rig"}
              {w === "file" && (
                <>
                  from a campaign file{" "}
                  <input
                    type="file"
                    aria-label="Campaign file"
                    accept=".zip"
                    className="w-56 text-[13px]"
                    onChange={(e) => {
                      setFile(e.target.files?.[0]);
                      setWay("file");
                    }}
                  />
                </>
              )}
              {w === "campaign" && other && (
                <span
                  className="[&_.word]:max-w-72 [&_.word]:truncate [&_.word]:align-bottom [&_.word]:font-sans! [&_.word]:font-normal!"
                  title="Its rig, plan, benches, machine, formulas and report without findings; none of its runs"
                >
                  with the rig and plan of{" "}
                  <ChosenWord
                    label="Whose rig, plan and benches"
                    value={other.id}
                    options={all.map((c) => ({ value: c.id, says: c.name }))}
                    onSet={(id) => {
                      setOf(id);
                      setWay("campaign");
                    }}
                  />
                </span>
              )}
            </label>
          ))}
        </fieldset>
        <Button look="main" type="submit" hint="↵" disabled={begin.isPending} className="ml-auto text-[14px]">
          Begin
        </Button>
      </div>
      <Wrong error={lacks ?? begin.error} />
      {taking && <TakeIn key={taking.name + taking.lastModified} file={taking} onGone={() => setTaking(undefined)} />}
    </form>
  );
}
