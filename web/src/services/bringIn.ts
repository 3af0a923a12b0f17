/** A file that was dropped or chosen: sent up, and then looked at on its own page. */
import { reactive } from "vue";

import { api, data, queryClient } from "@/api/client";
import { uploadFile } from "@/api/upload";
import { jobDone, jobEnded } from "@/api/queries";
import { many } from "@/parts/format";
import { router } from "@/router";

import { say, sayError } from "./notices";

/** The file that is on its way up; no name while there is none. */
export const sending = reactive({ name: "", share: 0 });

/** `next` is the trip whose next version the file is; `on` the one whose page it was dropped on; `way` the route that it
 * is to come in on. */
export interface Meant {
  way?: number;
  next?: number;
  on?: number;
}

async function sendUp(file: File): Promise<number> {
  Object.assign(sending, { name: file.name, share: 0 });
  return uploadFile(file, (share) => (sending.share = share));
}

/** A file of several, once it was looked at: the trip that it is known to belong to, if it is. */
interface Looked {
  upload: number;
  name: string;
  trip?: number;
  application: string;
  recordType: string;
}

async function look(file: File): Promise<Looked> {
  const upload = await sendUp(file);
  const asked = await data(api.POST("/api/uploads/{number}/recognise", { params: { path: { number: upload } } }));
  const found = (await jobEnded(asked.id)).result;
  const told = { application: found?.application ?? "", recordType: found?.record_type ?? "" };
  return { upload, name: file.name, ...told, ...(found?.trip ? { trip: found.trip } : {}) };
}

/** Sheets that are known go to their trips, one after the other; says where the last of them is. */
async function bringAll(known: readonly Looked[]): Promise<number> {
  for (const one of known) {
    const body = {
      application: one.application,
      record_type: one.recordType,
      trip: String(one.trip),
      operation: "",
      key: [],
      reach: "",
      prefix: "" as const,
      marks: false,
    };
    const asked = await data(
      api.POST("/api/uploads/{number}/bring-in", { params: { path: { number: one.upload } }, body }),
    );
    await jobDone(asked.id);
  }
  return known.at(-1)?.trip ?? 0;
}

/** Several files: those that are known go to their trips; if none is, they are one list in parts. */
async function bringSeveral(files: readonly File[], meant: Meant): Promise<void> {
  const looked: Looked[] = [];
  for (const file of files) looked.push(await look(file));
  const known = looked.filter((one) => one.trip);
  const others = looked.filter((one) => !one.trip);
  const trip = await bringAll(known);
  void queryClient.invalidateQueries();
  if (known.length) say(`${many(known.length, "sheet", "sheets")} came back. Nothing was written to the application.`);
  const first = others[0];
  if (!first) {
    const together = known.every((one) => one.trip === trip);
    await router.push(
      together ? { name: "trip", params: { id: trip, station: "file" }, query: { beside: "parts" } } : "/",
    );
    return;
  }
  if (known.length)
    say(`Not known where it belongs: ${others.map((one) => one.name).join(", ")}. This is ${first.name}.`);
  else if (others.length > 1) {
    const params = { path: { number: first.upload } };
    await data(
      api.POST("/api/uploads/{number}/parts", { params, body: { parts: others.slice(1).map((o) => o.upload) } }),
    );
  }
  await router.push({ name: "sheet", params: { id: first.upload }, query: { ...meant } });
}

/** Send a file up and show its cells. Where it belongs is found, or asked, beside them. */
export async function bring(files: File | File[], meant: Meant = {}): Promise<void> {
  const all = Array.isArray(files) ? files : [files];
  const [first] = all;
  if (!first) return;
  try {
    if (all.length > 1) {
      await bringSeveral(all, meant);
      return;
    }
    const upload = await sendUp(first);
    await data(api.POST("/api/uploads/{number}/recognise", { params: { path: { number: upload } } }));
    void queryClient.invalidateQueries({ queryKey: ["waiting"] });
    await router.push({ name: "sheet", params: { id: upload }, query: { ...meant } });
  } catch (error) {
    sayError(error);
  } finally {
    sending.name = "";
  }
}

/** Make more files parts of the list that a waiting file begins; whether it went well. */
export async function addParts(upload: number, files: File[]): Promise<boolean> {
  try {
    const parts: number[] = [];
    for (const file of files) parts.push(await sendUp(file));
    await data(api.POST("/api/uploads/{number}/parts", { params: { path: { number: upload } }, body: { parts } }));
    return true;
  } catch (error) {
    sayError(error);
    return false;
  } finally {
    sending.name = "";
  }
}

/** A block of cells that was pasted, as a file to bring in; nothing where it is not a block. */
export function pastedSheet(text: string): File | undefined {
  const lines = text.replace(/\r\n?/g, "\n").trimEnd().split("\n");
  if (lines.length < 2 || !lines[0]?.includes("\t")) return undefined;
  return new File([text], "pasted block.tsv", { type: "text/tab-separated-values" });
}
