/** The tables of a geometry: their columns, what a cell shows, which points a row is about. */
import type { Schema } from "../../../api/client";
import { plain } from "../../../ui/format";

export type Specimen = Schema["Specimen"];
export type Geometry = Schema["Geometry"];
export type Point = NonNullable<Geometry["points"]>[number];
export type TableKey = Schema["GeometryTable"];
export type ColumnKey = Schema["GeometryColumn"];

export type Column = { key: ColumnKey; head: string; width: string; right?: boolean };

const axes = ["x", "y", "z"] as const;

/** What the directions are called, with their letters. */
export const directionsOf = (g: Geometry) => axes.map((a, i) => g.called?.[i] || a);

/** Columns of a table; the turns of points only where they are asked for. */
export function columnsOf(table: TableKey, unit: string, turns: boolean): Column[] {
  if (table !== "points")
    return [{ key: "through", head: table === "lines" ? "Through the points" : "Corners", width: "minmax(0,1fr)" }];
  const number = (key: ColumnKey, head: string): Column => ({ key, head, width: "minmax(56px,1fr)", right: true });
  return [
    { key: "name", head: "Point", width: "minmax(80px,1.6fr)" },
    number("x", `x, ${unit}`),
    number("y", `y, ${unit}`),
    number("z", `z, ${unit}`),
    ...(turns ? [number("turned_x", "about x"), number("turned_y", "about y"), number("turned_z", "about z")] : []),
  ];
}

const places: Partial<Record<ColumnKey, (p: Point) => number>> = {
  x: (p) => p.x,
  y: (p) => p.y,
  z: (p) => p.z,
};
const turns: Partial<Record<ColumnKey, number>> = { turned_x: 0, turned_y: 1, turned_z: 2 };

/** What a cell shows. */
export function textOf(g: Geometry, unit: "m" | "mm", table: TableKey, row: number, column: ColumnKey): string {
  if (table !== "points") return (table === "lines" ? g.lines : g.faces)?.[row]?.join("; ") ?? "";
  const p = g.points?.[row];
  if (!p) return "";
  if (column === "name") return p.name;
  const place = places[column]?.(p);
  // A sum of thousandths is not to show how binary numbers round.
  if (place !== undefined) return plain(Number((unit === "mm" ? place * 1000 : place).toPrecision(12)));
  const turn = turns[column];
  return turn === undefined ? "" : `${plain(Number((p.turned?.[turn] ?? 0).toPrecision(9)))}°`;
}

export const rowsOf = (g: Geometry, table: TableKey) => g[table]?.length ?? 0;

/** Rows of the points that rows of a table are about. */
export function pointsOf(g: Geometry, table: TableKey, rows: number[]): number[] {
  if (table === "points") return rows;
  const at = new Map((g.points ?? []).map((p, i) => [p.name, i]));
  const names = rows.flatMap((r) => (table === "lines" ? g.lines : g.faces)?.[r] ?? []);
  return [...new Set(names.flatMap((n) => at.get(n) ?? []))];
}
