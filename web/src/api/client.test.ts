import { flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";

import { api, data, onSignedOut, Problem, putBytes, serverLost } from "./client";
import { jobEnded } from "./queries";
import { uploadFile } from "./upload";

afterEach(() => vi.unstubAllGlobals());

const serve = (handler: (request: Request) => Response | Promise<Response>) => {
  const seen: Request[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    seen.push(request.clone());
    return handler(request);
  });
  return seen;
};
const problem = (status: number, detail: string, field?: string) =>
  Response.json({ status, title: "x", detail, field }, { status });

describe("answers", () => {
  it("give their data", async () => {
    serve(() => Response.json({ person: null, demo: [] }));
    expect(await data(api.GET("/api/session"))).toEqual({ person: null, demo: [] });
  });

  it("carry the server's own words where it says what is wrong", async () => {
    serve(() => problem(422, "This plan was sent already.", "seen"));
    const asked = data(
      api.POST("/api/trips/{id}/passes", {
        params: { path: { id: 1 } },
        body: { plan: 1, atomic: false, take_back: false, lift: "" },
      }),
    );
    await expect(asked).rejects.toMatchObject({ status: 422, message: "This plan was sent already.", field: "seen" });
  });

  it("that never come are told as a lost server, and found again", async () => {
    serve(() => Promise.reject(new TypeError("refused")));
    await expect(data(api.GET("/api/session"))).rejects.toBeInstanceOf(Problem);
    expect(serverLost.value).toBe(true);
    serve(() => Response.json({ person: null, demo: [] }));
    await data(api.GET("/api/session"));
    expect(serverLost.value).toBe(false);
  });

  it("of a server in trouble are its own words, and no lost server", async () => {
    const full = "The disk of Vexo's folder is full.";
    const headers = { "Content-Type": "application/problem+json" };
    serve(() => Response.json({ status: 503, title: "x", detail: full, code: "machine" }, { status: 503, headers }));
    await expect(data(api.GET("/api/trips"))).rejects.toMatchObject({ status: 503, message: full, code: "machine" });
    expect(serverLost.value).toBe(false);
    await expect(putBytes("/api/uploads/x", new Blob(["x"]))).rejects.toThrow(full);
    expect(serverLost.value).toBe(false);
  });

  it("to what was to be done are not said to be asked for again", async () => {
    serve(() => Promise.reject(new TypeError("refused")));
    await expect(data(api.GET("/api/trips"))).rejects.toThrow("It is tried again.");
    const written = data(api.POST("/api/trips/{id}/plan", { params: { path: { id: 1 } } }));
    await expect(written).rejects.toThrow("Look whether this was done once it is back");
    serverLost.value = false;
  });

  it("of a proxy whose server is gone are told as a lost server", async () => {
    for (const status of [502, 503, 504]) {
      serverLost.value = false;
      serve(() => new Response("<h1>Bad gateway</h1>", { status, headers: { "Content-Type": "text/html" } }));
      await expect(data(api.GET("/api/trips"))).rejects.toMatchObject({ status: 0 });
      expect(serverLost.value).toBe(true);
    }
    serverLost.value = false;
  });

  it("about its health are told, also where it is down", async () => {
    const down = { status: "down", version: "1", wrong: [{ code: "database", says: "The database cannot be read." }] };
    serve(() => Response.json(down, { status: 503 }));
    expect((await api.GET("/api/health")).error).toEqual(down);
    expect(serverLost.value).toBe(false);
    serve(() => new Response("gone", { status: 503, headers: { "Content-Type": "text/plain" } }));
    await expect(api.GET("/api/health")).rejects.toBeInstanceOf(Problem);
    expect(serverLost.value).toBe(true);
    serverLost.value = false;
  });

  it("that nobody is signed in are passed on", async () => {
    const out = vi.fn();
    onSignedOut.call = out;
    serve(() => problem(401, "You are not signed in."));
    await expect(data(api.GET("/api/trips"))).rejects.toMatchObject({ status: 401 });
    expect(out).toHaveBeenCalledOnce();
  });

  it("to writes are asked for with the token against forged requests", async () => {
    document.cookie = "csrftoken=abc";
    const seen = serve(() => Response.json({}));
    await api.POST("/api/trips/{id}/plan", { params: { path: { id: 1 } } });
    await api.GET("/api/trips");
    expect(seen.map((request) => request.headers.get("X-CSRFToken"))).toEqual(["abc", null]);
  });
});

describe("a job", () => {
  it("is followed to its end", async () => {
    const states = ["queued", "running", "done"];
    serve(() => Response.json({ id: 3, state: states.shift(), result: { trip: 9 } }));
    const told: string[] = [];
    vi.useFakeTimers();
    const ended = jobEnded(3, (job) => told.push(job.state ?? ""));
    await vi.advanceTimersByTimeAsync(2000);
    vi.useRealTimers();
    expect((await ended).state).toBe("done");
    expect(told).toEqual(["queued", "running", "done"]);
  });
});

describe("a file", () => {
  it("goes up in parts, from where the server is", async () => {
    const size = 9 * 1024 * 1024;
    const file = new File([new Uint8Array(size)], "berths.xlsx");
    const offsets: number[] = [];
    serve((request) => {
      if (request.method === "POST") return Response.json({ id: "u1", received: 0 }, { status: 201 });
      const offset = Number(new URL(request.url, "http://localhost").searchParams.get("offset"));
      offsets.push(offset);
      return Response.json({ id: "u1", received: Math.min(size, offset + 4 * 1024 * 1024) });
    });
    const shares: number[] = [];
    expect(await uploadFile(file, (share) => shares.push(share))).toBe("u1");
    await flushPromises();
    expect(offsets).toEqual([0, 4 * 1024 * 1024, 8 * 1024 * 1024]);
    expect(shares.at(-1)).toBe(1);
  });

  it("that has no room is tried some times more, and then said not to have gone", async () => {
    vi.useFakeTimers();
    const headers = { "Content-Type": "application/problem+json" };
    const full = { status: 503, title: "x", detail: "The disk is full.", code: "machine" };
    const seen = serve((request) =>
      request.method === "POST"
        ? Response.json({ id: "u1", received: 0 })
        : Response.json(full, { status: 503, headers }),
    );
    const sent = expect(uploadFile(new File(["a;b"], "x.csv"), () => {})).rejects.toThrow("The disk is full.");
    await vi.advanceTimersByTimeAsync(10_000);
    vi.useRealTimers();
    await sent;
    expect(seen.filter((request) => request.method === "PUT")).toHaveLength(5);
  });

  it("that the server refuses is not sent again", async () => {
    const seen = serve(() => problem(422, "x.csv is empty."));
    await expect(uploadFile(new File([], "x.csv"), () => {})).rejects.toThrow("empty");
    expect(seen).toHaveLength(1);
  });
});
