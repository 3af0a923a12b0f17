import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, data, type Job, Problem, type Schemas } from "@/api/client";
import { jobDone, NO_UPLOAD, useMay, useRoutes, useTrip, useWaiting } from "@/api/queries";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import type { Place } from "./about";

/** A file that came and is of no trip yet: what is known of it, how it is read, and how it comes in. */
export function useWaitingSheet() {
  const route = useRoute();
  const router = useRouter();
  const client = useQueryClient();
  const id = computed(() => Number(route.params.id));
  const { data: received, error, failureReason, refetch } = useWaiting(id);
  /** Somebody left it, or it is in on a trip that is gone. */
  const isGone = computed(() => error.value instanceof Problem && error.value.code === NO_UPLOAD);
  const sheet = computed(() => (isGone.value ? undefined : received.value));
  const mayPrepare = useMay("prepare");

  /** Counts how often it was read anew. */
  const version = ref(0);
  /** The trip whose next version a person says that this is, and the one on whose page it was dropped. */
  const next = computed(() => Number(route.query.next) || 0);
  const on = computed(() => Number(route.query.on) || 0);
  const { data: meant } = useTrip(computed(() => next.value || on.value));
  const known = computed(() => sheet.value?.known ?? undefined);
  /** The route that a person chose before the file came. */
  const { data: routes } = useRoutes();
  const wanted = computed(() => {
    const found = routes.value?.find((one) => one.id === Number(route.query.way));
    return found && { id: found.id, name: found.name, application: found.application, record_type: found.record_type };
  });
  const anew = ref(route.query.new === "1");
  const likely = computed(() => {
    const found = known.value?.likely ?? [];
    const open = meant.value;
    if (!on.value || open?.id !== on.value || found.some((one) => one.trip === open.id)) return found;
    const account = "the trip on whose page it was dropped: a newer version of its sheet";
    const own = { trip: open.id, title: open.title, application: open.application.name, record_type: open.record_type };
    return [{ ...own, account }, ...found];
  });

  const marks = ref(false);
  const keptPrefix = ref(false);
  const choices = computed<Schemas["Choices"]>(() => ({
    ...sheet.value?.choices,
    prefix: keptPrefix.value ? "keep" : "off",
    marks: marks.value,
  }));
  const guards = computed(() => sheet.value?.found.findings?.some((finding) => finding.kind === "prefix"));

  const says = ref("");
  /** It is on its way in, by this page or another. */
  const coming = computed(() => taking.busy.value || !!sheet.value?.coming_in);
  const told = (job: Job): void => {
    says.value = job.message || "reading the file";
  };
  const taking = useDoing<Job, Place>(
    async ({ application, recordType, trip, operation = "", route: way }) => {
      const body = {
        application,
        record_type: recordType,
        trip,
        operation,
        key: [],
        route: way ?? null,
        reach: "",
        prefix: guards.value ? (keptPrefix.value ? ("keep" as const) : ("off" as const)) : ("" as const),
        marks: marks.value,
      };
      const params = { path: { number: id.value } };
      const asked = await data(api.POST("/api/uploads/{number}/bring-in", { params, body }));
      return jobDone(asked.id, told);
    },
    {
      failed: () => {},
      done: async (job) => {
        const name = sheet.value?.name ?? "The sheet";
        await client.invalidateQueries();
        const params = { path: { id: job.trip ?? 0 } };
        const trip = await data(api.GET("/api/trips/{id}", { params }));
        const asks = trip.columns.some((one) => one.questions.length) && !trip.sheets.at(-1)?.recognised;
        const station = asks ? "columns" : job.kind === "plan" ? "review" : "";
        await router.replace({ name: "trip", params: { id: job.trip, station } });
        if (job.result?.unchanged) say(`${name} is this trip's sheet already, unchanged. Nothing new came in.`);
        else say(`${name} is in. Nothing has been written to the application.`);
      },
      after: () => client.invalidateQueries({ queryKey: ["waiting"] }),
    },
  );
  /** A sheet that is known goes to its trip by itself, once. */
  let gone = 0;
  watch(
    [sheet, meant, wanted],
    ([now, trip]) => {
      if (!now || now.state !== "read" || gone === id.value || anew.value || now.trip != null || !mayPrepare.value)
        return;
      const own = trip?.id === next.value ? trip : undefined;
      const way = wanted.value ?? now.known?.routes?.find((one) => one.id === now.known?.route);
      if (route.query.way && !wanted.value) return;
      if (next.value ? !own : !now.known?.trip && !way) return;
      gone = id.value;
      if (!own && way && (wanted.value || !now.known?.trip)) {
        takeOn(way);
        return;
      }
      taking.start({
        application: own?.application.name ?? now.known?.application ?? "",
        recordType: own?.record_type ?? now.known?.record_type ?? "",
        trip: String(own?.id ?? now.known?.trip),
      });
    },
    { immediate: true },
  );
  function takeOn(way: Pick<Schemas["RouteFit"], "id" | "application" | "record_type">): void {
    taking.start({ application: way.application, recordType: way.record_type, trip: "new", route: way.id });
  }
  const lookAnew = (): void => {
    version.value += 1;
    void refetch();
  };
  const reading = useDoing<unknown, Schemas["Choices"]>(
    async ({ prefix, marks: count_, ...body }) => {
      marks.value = !!count_;
      keptPrefix.value = prefix === "keep";
      const before = sheet.value?.choices ?? {};
      if (JSON.stringify({ ...before, ...body }) === JSON.stringify(before)) return;
      const params = { path: { number: id.value } };
      const asked = await data(api.PATCH("/api/uploads/{number}", { params, body }));
      await jobDone(asked.id);
    },
    { failed: () => {}, after: lookAnew },
  );
  const leaving = useDoing(
    async () => {
      await data(api.DELETE("/api/uploads/{number}", { params: { path: { number: id.value } } }));
    },
    {
      done: async () => {
        await router.push("/");
      },
      after: () => client.invalidateQueries({ queryKey: ["waiting"] }),
    },
  );
  const trouble = computed(
    () => taking.error.value?.message ?? reading.error.value?.message ?? (sheet.value?.trouble || ""),
  );
  return {
    id,
    sheet,
    isGone,
    failureReason,
    mayPrepare,
    version,
    known,
    likely,
    anew,
    choices,
    says,
    coming,
    taking,
    takeOn,
    lookAnew,
    reading,
    leaving,
    trouble,
  };
}
