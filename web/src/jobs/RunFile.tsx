/** A run as a file: made when it is asked for. */
import { api, type Schema, told } from "../api/client";
import { JobFile } from "./JobFile";

type Props = { run: number; format: Schema["ExportFormat"]; label: string };

export function RunFile({ run, format, label }: Props) {
  const begin = () => told(api.POST("/api/runs/{id}/jobs/export", { params: { path: { id: run } }, body: { format } }));
  return <JobFile label={label} begin={begin} />;
}
