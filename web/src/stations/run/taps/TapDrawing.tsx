/** The specimen with the points of a series: done, under way, to come, to be made anew; and where the hammer is. */
import { Suspense, useMemo } from "react";
import type { Series } from "../../../api/taps";
import { later } from "../../../shell/later";
import { useSpecimen } from "../../rig/specimen/useSpecimen";

const Picture = later(() => import("../../rig/specimen/Picture"), "Picture");

export function TapDrawing({ series }: { series: Series }) {
  const specimen = useSpecimen(series.campaign_id);
  const geometry = specimen.data?.specimen.geometry;
  const tones = useMemo(() => {
    const of = new Map<string, string>();
    for (const [k, p] of series.points.entries()) {
      const tone = p.doubtful
        ? "reef"
        : k === series.upcoming
          ? "harbour"
          : p.state === "done"
            ? "ink"
            : p.state === "begun"
              ? "lamp"
              : "open";
      // Of several directions at a point the one that needs a hand is shown.
      const before = of.get(p.point);
      if (before === undefined || before === "ink" || tone === "harbour" || tone === "reef") of.set(p.point, tone);
    }
    return (geometry?.points ?? []).map((p) => of.get(p.name) ?? "open");
  }, [series, geometry]);
  if (!geometry || (geometry.points ?? []).length === 0)
    return (
      <p className="m-auto max-w-72 p-4 text-center text-soft">
        With points in Rig, Specimen the structure is drawn here, and the shapes can move.
      </p>
    );
  return (
    <Suspense fallback={null}>
      <Picture geometry={geometry} tones={tones} label="Specimen with the points of the series" />
    </Suspense>
  );
}
