/** The typed client of the API, and what is told of errors. */
import { QueryClient } from "@tanstack/vue-query";
import createClient, { type Middleware } from "openapi-fetch";
import { ref } from "vue";

import { browserZone } from "@/parts/reading";

import { secondsIdle } from "./idle";
import { ofThePart } from "./part";

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
export type Part = Schemas["Part"];
export type Route = Schemas["Route"];
export type Document = Schemas["Document"];
export type Action = Schemas["Person"]["may"][number];

/** An error that a person can read: what happened and what to do. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field?: string,
    readonly code?: string,
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

/** Whether an answer is in Vexo's own words, and not of a proxy before it whose server is gone. */
const ownWords = (response: Response): boolean =>
  response.headers.get("Content-Type")?.startsWith("application/problem+json") ?? false;
const isJson = (response: Response): boolean => response.headers.get("Content-Type") === "application/json";
const isLost = (response: Response): boolean => response.status >= 502 && !ownWords(response);

const middleware: Middleware = {
  onRequest({ request }) {
    request.headers.set("Vexo-Zone", browserZone);
    request.headers.set("Vexo-Idle", String(secondsIdle()));
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return ofThePart(request);
  },
  async onResponse({ request, response, schemaPath }) {
    // A server that is down says at this address why it is.
    const told = response.ok || (schemaPath === "/api/health" && isJson(response));
    if (!told && isLost(response)) throw lost(request.method === "GET" ? ASKED_AGAIN : DO_AGAIN);
    serverLost.value = false;
    if (told) return response;
    if (response.status === 401) onSignedOut.call();
    throw await problemOf(response);
  },
  onError({ request }) {
    throw lost(request.method === "GET" ? ASKED_AGAIN : DO_AGAIN);
  },
};

/** What a problem's text says under a name (RFC 9457), where it says anything. */
function said(body: unknown, name: string): string | undefined {
  if (typeof body !== "object" || body === null || !(name in body)) return undefined;
  const value: unknown = Reflect.get(body, name);
  return typeof value === "string" ? value : undefined;
}

async function problemOf(response: Response): Promise<Problem> {
  const body: unknown = await response
    .clone()
    .json()
    .catch(() => undefined);
  const words = said(body, "detail") ?? `The server failed (${response.status}).`;
  return new Problem(response.status, words, said(body, "field"), said(body, "code"));
}

const ASKED_AGAIN = "It is tried again.";
const DO_AGAIN = "Look whether this was done once it is back, or do it again.";

function lost(then: string): Problem {
  serverLost.value = true;
  return new Problem(0, `Vexo's server does not answer. ${then}`);
}

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => globalThis.fetch(request) });
api.use(middleware);

/** The data of an answer; errors were thrown before. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data: found } = await answer;
  if (found === undefined) throw new Problem(0, "The server's answer was empty. Try again.");
  return found;
}

/** An answer that is no JSON of the API's; the same errors as everywhere. */
async function plain(path: string, more: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await globalThis.fetch(new Request(new URL(path, window.location.href), more));
  } catch {
    throw lost(DO_AGAIN);
  }
  if (isLost(response)) throw lost(DO_AGAIN);
  serverLost.value = false;
  if (response.ok) return response;
  if (response.status === 401) onSignedOut.call();
  throw await problemOf(response);
}

/** Send bytes as they are. */
export async function putBytes(path: string, bytes: Blob): Promise<void> {
  const headers = { "Content-Type": "application/octet-stream", "X-CSRFToken": cookie("csrftoken") };
  await plain(path, { method: "PUT", body: bytes, headers });
}

/** A file that the server gives. */
export const getFile = (path: string): Promise<Response> => plain(path, {});

/** Whether a question is worth asking again by itself: the server was lost, or the application is slow just now. */
export const passing = (error: unknown): boolean =>
  !(error instanceof Problem) || error.status === 0 || error.code === "slow" || error.code === "no-answer";

/** Whether the server may answer the same question soon: it was lost, or its machine is in trouble just now. */
export const mayComeBack = (error: unknown): boolean =>
  error instanceof Problem && (error.status === 0 || error.code === "machine");
/** Times that a question is asked again: a server is started anew meanwhile. */
const WHILE_LOST = 40;
const IN_TROUBLE = 8;
export const isAskedAgain = (count: number, error: unknown): boolean =>
  mayComeBack(error) && count < (error instanceof Problem && error.status === 0 ? WHILE_LOST : IN_TROUBLE);

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      // An application that others wait for just now is asked again, as is a server that was lost.
      retry: (count, error) =>
        error instanceof Problem ? isAskedAgain(count, error) || (error.code === "slow" && count < 6) : count < 3,
      retryDelay: (count) => Math.min(300 * 2 ** count, 2000),
      networkMode: "always",
      staleTime: 1000,
    },
    mutations: { networkMode: "always", retry: false },
  },
});
