/** What is typed for a quantity, read by the server: one set of rules for the page, the table, files and programs. */
import { api, type Schema, told } from "../api/client";

export type Asked = Partial<Schema["Asked"]> & { what: string };

export const readEntry = (text: string, asked: Asked) => told(api.POST("/api/entry", { body: { text, asked } }));

/** One number in the unit asked for. */
export async function readNumber(text: string, asked: Asked): Promise<number> {
  return (await readEntry(text, asked)).values[0] as number;
}
