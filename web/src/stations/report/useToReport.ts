/** Puts a kept result into the report, and goes there; nothing until the report is read. */
import { useReport, useSaveReport } from "../../api/queries";
import { useGo } from "../../shell/address";
import { withKept } from "./blocks";

export function useToReport(campaign: number) {
  const report = useReport(campaign);
  const save = useSaveReport(campaign);
  const go = useGo();
  if (!report.data) return undefined;
  return async (kept: { id: number; name: string; lens: string }) => {
    let block = 0;
    await save.mutateAsync((now) => {
      const made = withKept(now, kept);
      block = made.id;
      return made.body;
    });
    go(`/report?block=${block}`);
  };
}
