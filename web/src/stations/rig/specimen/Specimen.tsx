/** The specimen: what it is, its points, lines and faces in tables beside its drawing, the surface they lie on, its
 * pictures. A row picked in the table is ringed in the drawing, a point picked there is the row here. */
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, type RigBody, told } from "../../../api/client";
import { useCampaigns } from "../../../api/queries";
import { useTo } from "../../../shell/address";
import { useKeys } from "../../../shell/keys";
import { later } from "../../../shell/later";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { Split } from "../../../ui/Split";
import { ChosenWord, TypedWord } from "../../../ui/Word";
import { AddBody } from "./AddBody";
import { GeometryFiles } from "./GeometryFiles";
import { Pictures } from "./Pictures";
import { Spread } from "./Spread";
import { columnsOf, type Geometry, pointsOf, rowsOf, type TableKey, textOf } from "./tables";
import { type Change, useSpecimen, useSpecimenEditing, useSpecimenFiles } from "./useSpecimen";

const Drawing = later(() => import("./Drawing"), "Drawing");

const tables: { key: TableKey; says: string }[] = [
  { key: "points", says: "Points" },
  { key: "lines", says: "Lines" },
  { key: "faces", says: "Faces" },
];
const axes = ["x", "y", "z"] as const;

export function Specimen({ body: rig }: { body: RigBody }) {
  const { id } = useCampaign();
  const to = useTo();
  const name = useCampaigns().data?.find((c) => c.id === id)?.specimen;
  const read = useSpecimen(id);
  const files = useSpecimenFiles(id).data ?? [];
  const editing = useSpecimenEditing(id, read.data);
  const sensors = useQuery({
    queryKey: ["specimen", id, "sensors", read.data?.version, rig.version],
    enabled: read.data !== undefined,
    placeholderData: (before) => before,
    queryFn: () => told(api.GET("/api/campaigns/{id}/specimen/sensors", { params: { path: { id: id ?? 0 } } })),
  });
  const surfaceFile = files.find((f) => f.kind === "surface");
  const surface = useQuery({
    queryKey: ["specimen-files", id, "surface", surfaceFile?.id],
    enabled: surfaceFile !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const params = { path: { id: id ?? 0 } };
      const bytes = await told(api.GET("/api/campaigns/{id}/specimen/surface", { params, parseAs: "arrayBuffer" }));
      return new Float32Array(bytes);
    },
  });
  const [params, setParams] = useSearchParams();
  const [table, setTable] = useState<TableKey>("points");
  const [turns, setTurns] = useState(false);
  const [rows, setRows] = useState<number[]>([]);
  const [chosen, setChosen] = useState<number>();
  const [adding, setAdding] = useState(false);
  const [placing, setPlacing] = useState(false);
  const [error, setError] = useState<Error>();
  const specimen = read.data?.specimen;
  const g = specimen?.geometry;
  const unit = specimen?.unit ?? "m";
  const columns = useMemo(() => columnsOf(table, unit, turns), [table, unit, turns]);
  const selected = useMemo(() => (g ? pointsOf(g, table, rows) : []), [g, table, rows]);
  const does = useCallback((what: Promise<unknown>) => {
    setError(undefined);
    return what.catch(setError);
  }, []);

  // A channel leads here with the name of its point.
  const asked = params.get("point");
  useEffect(() => {
    if (asked === null || !g?.points) return;
    const row = g.points.findIndex((p) => p.name === asked);
    setTable("points");
    setRows(row < 0 ? [] : [row]);
    setChosen(row < 0 ? undefined : row);
    setParams({}, { replace: true });
  }, [asked, g, setParams]);

  const join = (as: "lines" | "faces") => {
    if (!g || table !== "points" || rows.length < (as === "lines" ? 2 : 3)) return;
    const through = rows.map((r) => g.points?.[r]?.name ?? "").join("; ");
    const cells = [{ row: rowsOf(g, as), column: "through" as const, text: through }];
    does(editing.change({ change: "cells", table: as, cells }));
  };
  useKeys("Specimen", [
    { key: "Alt+l", says: "A line through the selected points", anywhere: true, run: () => join("lines") },
    { key: "Alt+f", says: "A face between the selected points", anywhere: true, run: () => join("faces") },
  ]);
  const pick = useCallback(
    (row: number, more: boolean) => {
      setTable("points");
      setRows((r) =>
        more && table === "points" ? (r.includes(row) ? r.filter((x) => x !== row) : [...r, row]) : [row],
      );
      setChosen(row);
    },
    [table],
  );
  const place = ([x, y, z]: [number, number, number]) => {
    if (!g) return;
    const row = rowsOf(g, "points");
    const cells = axes.map((column, i) => ({ row, column, text: `${[x, y, z][i]?.toPrecision(7)} m` }));
    does(editing.change({ change: "cells", table: "points", cells })).then(() => {
      setTable("points");
      setRows([row]);
      setChosen(row);
    });
  };

  if (!specimen || !g) return read.error ? <Wrong error={read.error} /> : <Empty says="Loading specimen …" />;
  const count = rowsOf(g, table);
  const here = (sensors.data ?? []).filter((s) => selected.includes(s.row));
  const rename = (axis: number, text: string) => {
    const called = axes.map((_, i) => (i === axis ? text.trim() : (g.called?.[i] ?? "")));
    return editing.write({ geometry: { ...g, called } as Geometry });
  };
  // A word in letters of their own widths is narrower than as many figures.
  const wide = (text: string, least: number) => `${Math.max(text.length * 0.95, least)}ch`;
  const heading = (
    <p className="text-[15px] leading-8">
      <b>{name}</b>, of the kind{" "}
      <TypedWord
        label="Kind of specimen"
        value={specimen.kind ?? ""}
        width={wide(specimen.kind ?? "", 14)}
        onSet={(kind) => editing.write({ kind })}
        plain
      />
      , serial number{" "}
      <TypedWord
        label="Serial number of the specimen"
        value={specimen.serial ?? ""}
        width={specimen.serial ? undefined : "9ch"}
        onSet={(serial) => editing.write({ serial })}
      />
      ; its x, y, z are called{" "}
      {axes.map((a, i) => (
        <span key={a}>
          {i > 0 && ", "}
          <TypedWord
            label={`Name of ${a}`}
            value={g.called?.[i] || a}
            width={wide(g.called?.[i] || a, 2)}
            onSet={(t) => rename(i, t.trim() === a ? "" : t)}
            plain
          />
        </span>
      ))}
      , lengths are in{" "}
      <ChosenWord
        label="Unit of length"
        value={unit}
        options={[
          { value: "m" as const, says: "m" },
          { value: "mm" as const, says: "mm" },
        ]}
        onSet={(to) => does(editing.write({ unit: to }))}
      />
      .
    </p>
  );
  const sheet = (
    <section aria-label="Tables of the geometry" className="panel flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-9 items-center gap-4 border-b border-rule px-3 text-[14px]">
        {tables.map((t) => (
          <button
            key={t.key}
            type="button"
            aria-pressed={table === t.key}
            className={table === t.key ? "font-semibold text-harbour" : "text-soft hover:text-ink"}
            onClick={() => {
              setTable(t.key);
              setRows([]);
              setChosen(undefined);
            }}
          >
            {t.says} <span className="num">{rowsOf(g, t.key)}</span>
          </button>
        ))}
        {table === "points" && (
          <label className="flex items-center gap-1 text-[13px]">
            <input type="checkbox" checked={turns} onChange={(e) => setTurns(e.target.checked)} />
            own directions
          </label>
        )}
        <span className="ml-auto flex items-center gap-3 text-[13px]">
          {editing.canUndo && (
            <Button look="link" className="text-[13px]" onClick={() => does(editing.takeBack())}>
              Undo
            </Button>
          )}
          {editing.canRedo && (
            <Button look="link" className="text-[13px]" onClick={() => does(editing.again())}>
              Redo
            </Button>
          )}
          <Button look="link" className="text-[13px]" onClick={() => setAdding(!adding)}>
            Add a body …
          </Button>
          <GeometryFiles campaign={id} geometry={g} surface={surfaceFile} editing={editing} onError={setError} />
        </span>
      </div>
      {adding && (
        <AddBody
          unit={unit}
          onClose={() => setAdding(false)}
          onAdd={(made) => does(editing.change({ change: "body", ...made } as Change))}
        />
      )}
      <Wrong error={error} />
      <Spread
        key={table}
        label={`${tables.find((t) => t.key === table)?.says} of the specimen`}
        columns={columns}
        rows={count}
        text={(row, column) => textOf(g, unit, table, row, column)}
        chosen={chosen}
        marked={table === "points" ? new Set(selected) : new Set()}
        onRows={setRows}
        onCell={(row, column, text) => editing.change({ change: "cells", table, cells: [{ row, column, text }] })}
        onPaste={(row, column, text) => editing.change({ change: "paste", table, row, column, text })}
        onFill={(rows, columns, counting) => editing.change({ change: "fill", table, rows, columns, counting })}
        onRemove={(rows) => editing.change({ change: "remove", table, rows })}
        onUndo={editing.takeBack}
        onRedo={editing.again}
        onError={setError}
      />
      <div className="flex min-h-8 items-center gap-4 border-t border-rule px-3 text-[13px]">
        {table === "points" && rows.length > 1 ? (
          <>
            <span role="status">{rows.length} points selected</span>
            <Button look="link" hint="Alt L" className="text-[13px]" onClick={() => join("lines")}>
              Line through them
            </Button>
            {(rows.length === 3 || rows.length === 4) && (
              <Button look="link" hint="Alt F" className="text-[13px]" onClick={() => join("faces")}>
                Face between them
              </Button>
            )}
          </>
        ) : (
          <span className="truncate text-soft">
            {here.length > 0
              ? "Measured here: "
              : selected.length === 1
                ? "No channel measures here."
                : "Ctrl+D fills down, Ctrl+Shift+D counts on, Ctrl+V pastes from a spreadsheet."}
            {here.map((s, i) => (
              <span key={s.input}>
                {i > 0 && ", "}
                <Link to={to(`/rig?input=${s.input}`)} className="text-harbour hover:underline">
                  input {s.input}, {s.name} {s.direction && `(${s.direction})`}
                </Link>
              </span>
            ))}
          </span>
        )}
      </div>
    </section>
  );
  const drawing = (
    <Panel
      title="Drawing"
      says={placing ? "click on the surface: each click makes a point" : undefined}
      className="min-h-0 flex-1"
      aside={
        surfaceFile && (
          <>
            <label className="flex items-center gap-1 text-[13px]">
              <input type="checkbox" checked={placing} onChange={(e) => setPlacing(e.target.checked)} />
              make points by clicking
            </label>
            <Button
              look="link"
              className="text-[13px]"
              disabled={count === 0}
              onClick={() => does(editing.ontoSurface(table === "points" && rows.length > 1 ? rows : []))}
            >
              Put {table === "points" && rows.length > 1 ? `${rows.length} points` : "all points"} onto the surface
            </Button>
          </>
        )
      }
    >
      {rowsOf(g, "points") === 0 && !surface.data ? (
        <Empty says="No point yet. Add a body, read a file, or type points into the table: a name and three lengths." />
      ) : (
        <Drawing
          geometry={g}
          sensors={sensors.data ?? []}
          surface={surfaceFile ? surface.data : undefined}
          selected={selected}
          placing={placing && surfaceFile !== undefined}
          onPick={pick}
          onPlace={place}
        />
      )}
    </Panel>
  );
  return (
    <>
      {heading}
      <Split
        id="specimen"
        label="Width of the drawing"
        size={54}
        least={25}
        most={75}
        first={sheet}
        second={
          <Split
            id="specimen-pictures"
            label="Height of pictures and remarks"
            upright
            size={26}
            least={14}
            first={drawing}
            second={
              <Pictures
                campaign={id}
                files={files}
                remarks={specimen.remarks ?? ""}
                onRemarks={(remarks) => editing.write({ remarks })}
              />
            }
          />
        }
      />
    </>
  );
}
