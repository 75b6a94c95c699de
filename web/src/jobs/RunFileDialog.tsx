/** A run, or part of it, as a file: which channels, which stretch, at which rate, in which form, under which name. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import { api, type RunDetail, type Schema, told } from "../api/client";
import { Button } from "../ui/Button";
import { NumberWord } from "../ui/EntryWord";
import { FindWord } from "../ui/FindWord";
import { plain, rate, span } from "../ui/format";
import { ChosenWord } from "../ui/Word";
import { formats, separators } from "./fileForms";
import { JobFile } from "./JobFile";

type Wish = Schema["RunExport"];
type Format = Wish["format"];

export function RunFileDialog({
  run,
  bracket,
  onClose,
}: {
  run: RunDetail;
  bracket: [number, number] | null | undefined;
  onClose: () => void;
}) {
  const [format, setFormat] = useState<Format>("parquet");
  const [channels, setChannels] = useState<number[]>([]);
  const [whole, setWhole] = useState(!bracket);
  const [lower, setLower] = useState<number>();
  const [counts, setCounts] = useState(false);
  const [cells, setCells] = useState("comma");
  const [name, setName] = useState("run-{run}");
  const all = run.channels.map((c) => ({ value: c.channel, says: `${c.channel} ${c.recorded.name}` }));
  const begin = () =>
    told(
      api.POST("/api/runs/{id}/jobs/export", {
        params: { path: { id: run.id } },
        body: {
          format,
          channels,
          from_s: whole ? null : (bracket?.[0] ?? null),
          to_s: whole ? null : (bracket?.[1] ?? null),
          rate_hz: lower ?? null,
          counts,
          ...(format === "csv" ? separators.find((s) => s.value === cells)?.put : {}),
          name: name === "run-{run}" ? "" : name,
        },
      }),
    );
  const short = (s: number) => plain(Number(s.toFixed(3)));
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/15" aria-hidden />
      <div className="fixed inset-x-0 top-24 mx-auto w-[38rem]">
        <DialogPanel className="panel flex flex-col gap-3 p-4 shadow-xl">
          <DialogTitle className="font-semibold">
            Run {run.number}, {run.kind}, as a file
          </DialogTitle>
          <p className="leading-8">
            Write{" "}
            <FindWord
              many
              label="Channels of the file"
              face={
                channels.length === 0 ? `all ${all.length} channels` : `${channels.length} of ${all.length} channels`
              }
              value={channels}
              options={all}
              onSet={setChannels}
              width="max-w-72"
            />{" "}
            of{" "}
            <ChosenWord
              label="Stretch of the file"
              value={whole ? "whole" : "bracket"}
              options={[
                { value: "whole", says: `the whole run, ${span(run.duration_s)}` },
                ...(bracket
                  ? [{ value: "bracket", says: `the bracket, ${short(bracket[0])} to ${short(bracket[1])} s` }]
                  : []),
              ]}
              onSet={(v) => setWhole(v === "whole")}
            />{" "}
            as <ChosenWord label="Kind of file" value={format} options={formats} onSet={setFormat} />{" "}
            {format === "csv" && (
              <>
                with <ChosenWord label="Between the cells" value={cells} options={separators} onSet={setCells} />{" "}
              </>
            )}
            at{" "}
            <NumberWord
              label="Rate of the file"
              none={`its ${rate(run.sample_rate_hz)}`}
              unit="Hz"
              above={0}
              high={run.sample_rate_hz}
              value={lower}
              onSet={setLower}
              width="15ch"
            />{" "}
            in{" "}
            <ChosenWord
              label="Numbers of the file"
              value={counts ? "counts" : "units"}
              options={[
                { value: "units", says: "engineering units" },
                { value: "counts", says: "counts of the converter" },
              ]}
              onSet={(v) => setCounts(v === "counts")}
            />
            , called{" "}
            <input
              aria-label="Name of the file"
              className="word w-72 font-sans! font-normal!"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            .
          </p>
          <p className="text-[13px] text-soft">
            A name may hold {"{campaign}"}, {"{specimen}"}, {"{run}"}, {"{kind}"}, {"{date}"}, {"{time}"},{" "}
            {"{channels}"}.
          </p>
          <p className="flex items-center gap-4">
            <JobFile label="Write it" begin={begin} />
            <Button look="link" className="ml-auto" onClick={onClose}>
              Close
            </Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
