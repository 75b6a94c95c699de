/** A text of the report in the engineer's words. */
import { useEffect, useRef, useState } from "react";
import type { Refused } from "../../api/client";
import { Button } from "../../ui/Button";
import { dropDraft, keepDraft, takeDraft } from "../../ui/draft";
import { Wrong } from "../../ui/Panel";

type Props = { label: string; value: string; onSet: (text: string) => Promise<unknown>; says: string };

/** Saved as it is written; what somebody else wrote meanwhile stands beside it, and one of both is chosen. */
export function WrittenText({ label, value, onSet, says }: Props) {
  const [draft] = useState(() => takeDraft(label, value));
  const [text, setText] = useState(draft ?? value);
  const [error, setError] = useState<Error>();
  // Somebody else wrote meanwhile: nothing is saved until one of both is chosen.
  const [parted, setParted] = useState(false);
  const saved = useRef(value);
  const sent = useRef<string>(undefined);
  const written = useRef(text);
  written.current = text;
  useEffect(() => {
    const [before, mine] = [saved.current, written.current];
    saved.current = value;
    if (before === value || value === sent.current || value === mine) return;
    // Saved by somebody else: shown, unless something is being written here.
    if (mine === before) setText(value);
    else setParted(true);
  }, [value]);
  const save = (over = false) => {
    if (text === saved.current || (parted && !over)) return;
    setError(undefined);
    setParted(false);
    sent.current = text;
    onSet(text).then(
      () => dropDraft(label, value),
      (e) => {
        setError(e);
        setParted((e as Refused).conflict === true);
      },
    );
  };
  const latest = useRef(save);
  latest.current = save;
  // A while after the last key, and when the station is left.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the text is what is waited for
  useEffect(() => {
    const rest = window.setTimeout(() => latest.current(), 1500);
    return () => window.clearTimeout(rest);
  }, [text]);
  useEffect(() => () => latest.current(), []);
  return (
    <div className="flex flex-1 flex-col gap-1">
      <label className="flex flex-1 flex-col gap-1">
        <span className="font-semibold">{label}</span>
        <textarea
          className="min-h-40 flex-1 border border-rule bg-paper/40 p-2 leading-5"
          value={text}
          placeholder={says}
          onChange={(e) => {
            setText(e.target.value);
            keepDraft(label, value, e.target.value);
          }}
          onBlur={() => save()}
        />
      </label>
      {error && !parted && <Wrong error={new Error(`Not saved: ${error.message} The text stays here.`)} />}
      {parted && (
        <div role="alert" className="border-l-4 border-lamp px-2 text-[13px] leading-5">
          <p className="text-lamp">
            ▲ Somebody else changed the report meanwhile. Your text above is not saved; theirs says:
          </p>
          <p className="max-h-40 overflow-auto whitespace-pre-wrap">
            {value === text ? "the same" : value || "(nothing)"}
          </p>
          <p className="flex gap-4">
            <Button look="link" onClick={() => save(true)}>
              Overwrite theirs
            </Button>
            <Button
              look="link"
              onClick={() => {
                setText(value);
                dropDraft(label, value);
                setParted(false);
                setError(undefined);
              }}
            >
              Use theirs
            </Button>
          </p>
        </div>
      )}
    </div>
  );
}
