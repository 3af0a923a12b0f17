/** A file that was dropped or chosen: sent up, and then looked at on its own page. */
import { reactive } from "vue";

import { api, data, queryClient } from "@/api/client";
import { uploadFile } from "@/api/upload";
import { router } from "@/router";

import { sayError } from "./notices";

/** The file that is on its way up; no name while there is none. */
export const sending = reactive({ name: "", share: 0 });

/** `next` is the trip whose next version the file is; `on` the one whose page it was dropped on. */
export interface Meant {
  next?: number;
  on?: number;
}

async function sendUp(file: File): Promise<number> {
  Object.assign(sending, { name: file.name, share: 0 });
  return uploadFile(file, (share) => (sending.share = share));
}

/** Send a file up and show its cells; several are one list in parts. Where it belongs is found, or asked, beside them. */
export async function bring(files: File | File[], meant: Meant = {}): Promise<void> {
  const [first, ...others] = Array.isArray(files) ? files : [files];
  if (!first) return;
  try {
    const upload = await sendUp(first);
    const params = { path: { number: upload } };
    const parts: number[] = [];
    for (const other of others) parts.push(await sendUp(other));
    if (parts.length) await data(api.POST("/api/uploads/{number}/parts", { params, body: { parts } }));
    else await data(api.POST("/api/uploads/{number}/recognise", { params }));
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

/** A block of cells that was pasted, as a file to bring in; nothing where it is no block. */
export function pastedSheet(text: string): File | undefined {
  const lines = text.replace(/\r\n?/g, "\n").trimEnd().split("\n");
  if (lines.length < 2 || !lines[0]?.includes("\t")) return undefined;
  return new File([text], "pasted block.tsv", { type: "text/tab-separated-values" });
}
