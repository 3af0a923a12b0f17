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

/** Send a file up and show its cells. Where it belongs is found, or asked, beside them. */
export async function bring(file: File, meant: Meant = {}): Promise<void> {
  Object.assign(sending, { name: file.name, share: 0 });
  try {
    const upload = await uploadFile(file, (share) => (sending.share = share));
    const params = { path: { number: upload } };
    await data(api.POST("/api/uploads/{number}/recognise", { params }));
    void queryClient.invalidateQueries({ queryKey: ["waiting"] });
    await router.push({ name: "sheet", params: { id: upload }, query: { ...meant } });
  } catch (error) {
    sayError(error);
  } finally {
    sending.name = "";
  }
}
