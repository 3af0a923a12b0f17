/** A file that was dropped or chosen, on its way to a trip. */
import { reactive } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { jobEnded } from "@/api/queries";
import { uploadFile } from "@/api/upload";
import { router } from "@/router";

import { say } from "./notices";

export type Fit = Schemas["Fit"];

interface Bringing {
  open: boolean;
  name: string;
  says: string;
  share: number;
  trouble: string;
  upload: number;
  rows: number;
  fits: Fit[];
  likely: Schemas["Likely"][];
  note: string;
  choosing: boolean;
}

export const bringing = reactive<Bringing>({
  open: false,
  name: "",
  says: "",
  share: 0,
  trouble: "",
  upload: 0,
  rows: 0,
  fits: [],
  likely: [],
  note: "",
  choosing: false,
});

function begin(name: string): void {
  Object.assign(bringing, { open: true, name, says: "sending the file", share: 0, trouble: "", upload: 0 });
  Object.assign(bringing, { rows: 0, fits: [], likely: [], note: "", choosing: false });
}

/** Send a file up, find its trip, and go there; a file from elsewhere asks what it is about. */
export async function bring(file: File, trip?: Schemas["TripSummary"]): Promise<void> {
  begin(file.name);
  try {
    bringing.upload = await uploadFile(file, (share) => (bringing.share = share));
    if (trip) {
      await bringAs(trip.application.name, trip.record_type, { trip: String(trip.id) });
      return;
    }
    bringing.says = "looking where it belongs";
    const asked = await data(
      api.POST("/api/uploads/{number}/recognise", { params: { path: { number: bringing.upload } } }),
    );
    const job = await jobEnded(asked.id);
    if (job.state !== "done") throw new Error(job.error || job.message || "The file could not be read.");
    const {
      trip: known,
      application = "",
      record_type = "",
      rows = 0,
      fits = [],
      likely = [],
      note = "",
    } = job.result ?? {};
    if (known) await bringAs(application, record_type, { trip: String(known) });
    else Object.assign(bringing, { choosing: true, rows, fits, likely, note });
  } catch (error) {
    bringing.trouble = error instanceof Error ? error.message : String(error);
  }
}

type Asked = Schemas["BringIn"];

/** Bring the file that was sent up in as records of a type. */
export async function bringAs(application: string, recordType: string, more: Partial<Asked> = {}): Promise<void> {
  bringing.choosing = false;
  bringing.trouble = "";
  try {
    const asked = await data(
      api.POST("/api/uploads/{number}/bring-in", {
        params: { path: { number: bringing.upload } },
        body: { application, record_type: recordType, trip: "", operation: "", key: [], ...more },
      }),
    );
    const job = await jobEnded(asked.id, (now) => (bringing.says = now.message || "reading the file"));
    const trip = job.trip;
    await queryClient.invalidateQueries();
    if (trip) {
      bringing.open = false;
      await router.push({ name: "trip", params: { id: trip, station: job.state === "done" ? "review" : "keys" } });
    }
    if (job.state !== "done") throw new Error(job.error || job.message);
    say(`${bringing.name} is in. Nothing has been written to the application.`);
  } catch (error) {
    bringing.trouble = error instanceof Error ? error.message : String(error);
    if (!bringing.open) say(bringing.trouble, true);
  }
}
