/** The typed client of the API, and what is told of errors. */
import { QueryClient } from "@tanstack/vue-query";
import createClient, { type Middleware } from "openapi-fetch";
import { ref } from "vue";

import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Trip = Schemas["TripSummary"];
export type TripDetail = Schemas["TripDetail"];
export type Column = Schemas["Column"];
export type Row = Schemas["Row"];
export type Cell = Schemas["Cell"];
export type Job = Schemas["Job"];
export type Application = Schemas["Application"];
export type RecordType = Schemas["RecordType"];
export type Field = Schemas["Field"];

/** An error that a person can read: what happened and what to do. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field?: string,
  ) {
    super(message);
  }
}

/** Whether the server was lost: set by a request that got no answer, cleared by one that did. */
export const serverLost = ref(false);
/** Called when an answer says that nobody is signed in. */
export const onSignedOut: { call: () => void } = { call: () => {} };

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
}

const middleware: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return request;
  },
  async onResponse({ response }) {
    if (response.status >= 502) throw lost();
    serverLost.value = false;
    if (response.ok) return response;
    const body = (await response
      .clone()
      .json()
      .catch(() => ({}))) as { detail?: string; field?: string };
    if (response.status === 401) onSignedOut.call();
    throw new Problem(response.status, body.detail ?? `The server failed (${response.status}).`, body.field);
  },
  onError() {
    throw lost();
  },
};

function lost(): Problem {
  serverLost.value = true;
  return new Problem(0, "Vexo's server does not answer. Nothing was lost; it is tried again.");
}

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => globalThis.fetch(request) });
api.use(middleware);

/** The data of an answer; errors were thrown before. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => (error instanceof Problem ? error.status === 0 && count < 40 : count < 3),
      retryDelay: (count) => Math.min(300 * 2 ** count, 2000),
      networkMode: "always",
      staleTime: 1000,
    },
    mutations: { networkMode: "always", retry: false },
  },
});
