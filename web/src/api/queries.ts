/** What the screens ask for, by name. */
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef, type Ref } from "vue";

import { lookedAt } from "./part";

import { type Action, api, data, type Job, isAskedAgain, mayComeBack, Problem, queryClient } from "./client";

export const useSession = () => useQuery({ queryKey: ["session"], queryFn: () => data(api.GET("/api/session")) });

/** Whether the person who is signed in may do something; the server asks again. */
export function useMay(action: Action): ComputedRef<boolean> {
  const { data: session } = useSession();
  return computed(() => !!session.value?.person?.may.includes(action));
}

export const useHealth = () =>
  useQuery({
    queryKey: ["health"],
    queryFn: async () => {
      const { data: up, error: down } = await api.GET("/api/health");
      return up ?? down;
    },
    refetchInterval: 60_000,
    retry: false,
  });

/** How many notices are new. */
export const useUnread = () =>
  useQuery({
    queryKey: ["unread"],
    queryFn: () => data(api.GET("/api/notices/unread")),
    refetchInterval: 30_000,
    retry: false,
  });

export const usePeople = () =>
  useQuery({ queryKey: ["people"], queryFn: () => data(api.GET("/api/people")), meta: { told: true } });

/** Trips as they are listed: the newest, with what waits for a person; `total` are there in all, and `waiting` older
 * ones that are not listed wait, too. */
async function listed(query: { text?: string; application?: string; limit?: number }) {
  const asked = api.GET("/api/trips", { params: { query } });
  const list = await data(asked);
  const { headers } = (await asked).response;
  const total = headers.get("Vexo-Total");
  return { list, total: total ? Number(total) : list.length, waiting: Number(headers.get("Vexo-Waiting") ?? 0) };
}

export const useTrips = (of: { application?: Ref<string>; most?: Ref<number | undefined> } = {}) =>
  useQuery({
    queryKey: computed(() => ["trips", of.application?.value ?? "", of.most?.value ?? 0]),
    queryFn: () => listed({ application: of.application?.value || undefined, limit: of.most?.value }),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.list.some((trip) => trip.job) ? 1000 : 15_000),
  });

/** Trips of all that there are with these words. */
export const useFoundTrips = (text: Ref<string>, wanted: Ref<boolean>) =>
  useQuery({
    queryKey: computed(() => ["trips", "found", text.value]),
    queryFn: () => listed({ text: text.value, limit: 12 }),
    placeholderData: keepPreviousData,
    enabled: computed(() => wanted.value && !!text.value.trim()),
  });

export const useTrip = (id: Ref<number>) =>
  useQuery({
    queryKey: computed(() => ["trip", id.value, lookedAt.value]),
    queryFn: () => data(api.GET("/api/trips/{id}", { params: { path: { id: id.value } } })),
    meta: { told: 404 },
    refetchInterval: ({ state }) => (state.data?.job && state.status !== "error" ? 500 : 10_000),
    placeholderData: keepPreviousData,
    enabled: computed(() => id.value > 0),
  });

/** Files that wait at File to be told what they are about. */
export const useWaitingList = () =>
  useQuery({
    queryKey: ["waiting"],
    queryFn: () => data(api.GET("/api/uploads")),
    refetchInterval: 15_000,
  });

/** The code of an error about a file that does not wait any more. */
export const NO_UPLOAD = "no-upload";
/** Milliseconds between two looks: at a file that is read, at one of which it is found out what it is, at any other. */
const READING = 80;
const KNOWING = 200;
const SELDOM = 15_000;

export const useWaiting = (number: Ref<number>) =>
  useQuery({
    queryKey: computed(() => ["waiting", number.value]),
    queryFn: () => data(api.GET("/api/uploads/{number}", { params: { path: { number: number.value } } })),
    refetchInterval: ({ state }) => {
      const now = state.data;
      if (state.status === "error") return SELDOM;
      if (!now || now.state === "reading") return READING;
      if (now.coming_in) return 500;
      return now.state === "read" && now.known == null && now.trip == null ? KNOWING : SELDOM;
    },
    retry: isAskedAgain,
    meta: { told: NO_UPLOAD },
  });

export const useApplications = () =>
  useQuery({ queryKey: ["applications"], queryFn: () => data(api.GET("/api/applications")), refetchInterval: 60_000 });

export const useCatalogue = (name: Ref<string>) =>
  useQuery({
    queryKey: computed(() => ["applications", name.value]),
    queryFn: () => data(api.GET("/api/applications/{name}", { params: { path: { name: name.value } } })),
    enabled: computed(() => !!name.value),
    staleTime: 60_000,
  });

export const useGuards = (name: Ref<string>) =>
  useQuery({
    queryKey: computed(() => ["guards", name.value]),
    queryFn: () => data(api.GET("/api/applications/{name}/guards", { params: { path: { name: name.value } } })),
    enabled: computed(() => !!name.value),
  });

export const useRouteGuards = (id: Ref<number>) =>
  useQuery({
    queryKey: computed(() => ["guards", "route", id.value]),
    queryFn: () => data(api.GET("/api/routes/{id}/guards", { params: { path: { id: id.value } } })),
  });

export const useRoutes = () => useQuery({ queryKey: ["routes"], queryFn: () => data(api.GET("/api/routes")) });

export const useCarried = () =>
  useQuery({ queryKey: ["carried"], queryFn: () => data(api.GET("/api/carried")), staleTime: 10_000 });

/** A job that was done, and those that follow from it. Throws what it says where it was not. */
export async function jobDone(id: number, told: (job: Job) => void = () => {}): Promise<Job> {
  const job = await jobEnded(id, told);
  if (job.state !== "done") throw new Problem(0, job.error || job.message || "The work was stopped.");
  return job;
}

const PATIENCE = 40;

/** The end of a job and of those that follow from it. Asks until it is there, through lost connections too. */
export async function jobEnded(id: number, told: (job: Job) => void = () => {}): Promise<Job> {
  for (let pause = 40; ; pause = Math.min(250, pause * 1.5)) {
    const job = await queryClient.query({
      queryKey: ["job", id],
      queryFn: () => data(api.GET("/api/jobs/{id}", { params: { path: { id } } })),
      staleTime: 0,
      // The work goes on meanwhile.
      retry: (count, error) => mayComeBack(error) && count < PATIENCE,
    });
    told(job);
    const next = job.state === "done" ? job.result?.next : undefined;
    if (next) return jobEnded(next, told);
    if (job.state !== "queued" && job.state !== "running") return job;
    await new Promise((resolve) => setTimeout(resolve, pause));
  }
}
