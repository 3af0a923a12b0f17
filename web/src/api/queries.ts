/** What the screens ask for, by name. */
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";

import { api, data, type Job, queryClient } from "./client";

export const useSession = () => useQuery({ queryKey: ["session"], queryFn: () => data(api.GET("/api/session")) });

export const useTrips = () =>
  useQuery({
    queryKey: ["trips"],
    queryFn: () => data(api.GET("/api/trips")),
    refetchInterval: (query) => (query.state.data?.some((trip) => trip.job) ? 1000 : 15_000),
  });

export const useTrip = (id: Ref<number>) =>
  useQuery({
    queryKey: computed(() => ["trip", id.value]),
    queryFn: () => data(api.GET("/api/trips/{id}", { params: { path: { id: id.value } } })),
    refetchInterval: (query) => (query.state.data?.job ? 500 : 10_000),
    placeholderData: keepPreviousData,
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

export const useCarried = () =>
  useQuery({ queryKey: ["carried"], queryFn: () => data(api.GET("/api/carried")), staleTime: 10_000 });

/** The end of a job and of those that follow from it. Asks until it is there, through lost connections too. */
export async function jobEnded(id: number, told: (job: Job) => void = () => {}): Promise<Job> {
  for (;;) {
    const job = await queryClient.fetchQuery({
      queryKey: ["job", id],
      queryFn: () => data(api.GET("/api/jobs/{id}", { params: { path: { id } } })),
      staleTime: 0,
    });
    told(job);
    const next = job.state === "done" ? (job.result as { next?: number } | null)?.next : undefined;
    if (next) return jobEnded(next, told);
    if (job.state !== "queued" && job.state !== "running") return job;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
}
