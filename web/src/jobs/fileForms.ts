/** Forms that runs and reports are saved in, as words offer them. */
import type { Schema } from "../api/client";

export const formats: { value: Schema["RunExport"]["format"]; says: string; face: string }[] = [
  { value: "parquet", says: "Parquet: time, then a column a channel, packed", face: "Parquet" },
  { value: "wav", says: "WAV: 32 bits, beyond 4 GB as RF64", face: "WAV" },
  { value: "csv", says: "CSV: time, then a column a channel", face: "CSV" },
  { value: "xlsx", says: "XLSX: a sheet, up to a million samples", face: "XLSX" },
  { value: "universal", says: "universal file: a time response a channel", face: "universal file" },
];

/** What stands between the cells of a CSV file, with its decimal sign. */
export const separators: { value: string; says: string; put: Partial<Schema["RunExport"]> }[] = [
  { value: "comma", says: "commas between and decimal points", put: { separator: "comma", decimal_comma: false } },
  {
    value: "semicolon",
    says: "semicolons between and decimal points",
    put: { separator: "semicolon", decimal_comma: false },
  },
  {
    value: "semicolon ,",
    says: "semicolons between and decimal commas",
    put: { separator: "semicolon", decimal_comma: true },
  },
  { value: "tab", says: "tabs between and decimal points", put: { separator: "tab", decimal_comma: false } },
  { value: "tab ,", says: "tabs between and decimal commas", put: { separator: "tab", decimal_comma: true } },
];

export const reportForms: { value: Schema["ReportForm"]; says: string; face: string }[] = [
  { value: "pdf", says: "PDF, sealed", face: "PDF" },
  { value: "html", says: "one HTML file", face: "HTML" },
  { value: "docx", says: "text document that can be edited (DOCX)", face: "DOCX" },
  { value: "xlsx", says: "workbook of its tables and curves (XLSX)", face: "XLSX" },
  { value: "figures", says: "its figures as SVG, PNG and CSV (ZIP)", face: "figures" },
];

/** As what a kept result is saved, with the ending of its file. */
export const resultForms: { value: Schema["ResultForm"]; says: string; ending: string }[] = [
  { value: "csv", says: "CSV", ending: "csv" },
  { value: "xlsx", says: "workbook (XLSX)", ending: "xlsx" },
  { value: "parquet", says: "Parquet, with its recipe", ending: "parquet" },
  { value: "universal", says: "universal file", ending: "uff" },
  { value: "json", says: "JSON, everything", ending: "json" },
];
