import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";

import { queryClient } from "@/api/client";
import { router } from "@/router";
import SignInPage from "@/signin/SignInPage.vue";
import { trip } from "@/trip/example";

import CarriedChart from "./CarriedChart.vue";
import HomePage from "./HomePage.vue";
import TripRow from "./TripRow.vue";

afterEach(async () => {
  await router.replace("/");
  vi.unstubAllGlobals();
  queryClient.clear();
});

const serve = (answers: Record<string, unknown>) => {
  const seen: [string, unknown][] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url, "http://localhost").pathname;
    seen.push([path, request.method === "GET" ? null : await request.clone().json()]);
    return Response.json(answers[path] ?? []);
  });
  return seen;
};
const plugins = [router, [VueQueryPlugin, { queryClient }]] as never[];

describe("home", () => {
  const trips = [trip(), trip({ id: 8, title: "Storm class", asks: false, finished: true, here: "outcome" })];

  it("lists the trips and counts those that wait for a person", async () => {
    serve({ "/api/trips": trips, "/api/session": { person: { may: ["look", "prepare"] }, demo: [] } });
    const home = mount(HomePage, { global: { plugins } });
    await flushPromises();
    expect(home.findAllComponents(TripRow)).toHaveLength(2);
    const chips = home.findAll("button.chip").map((chip) => chip.text());
    expect(chips).toEqual(["All", "Waits for a person 1", "Under way 0", "Finished 1"]);
    await home.findAll("button.chip")[3]!.trigger("click");
    await vi.waitUntil(() => router.currentRoute.value.query.trips === "finished");
    await flushPromises();
    expect(home.findAllComponents(TripRow).map((row) => row.props("trip").title)).toEqual(["Storm class"]);
  });

  it("says how many older ones are not shown, and shows more", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      const address = new URL(request.url, "http://localhost");
      if (address.pathname !== "/api/trips") return Promise.resolve(Response.json([]));
      asked.push(address.search);
      return Promise.resolve(Response.json(trips, { headers: { "Vexo-Total": "1206", "Vexo-Waiting": "3" } }));
    });
    queryClient.clear();
    await router.replace("/");
    const home = mount(HomePage, { global: { plugins } });
    await flushPromises();
    expect(home.find("[data-testid=older]").text()).toContain(
      "1,204 older trips are not shown; 3 of them wait for a person",
    );
    expect(home.findAll("button.chip").map((chip) => chip.text())).toEqual([
      "All",
      "Waits for a person 4",
      "Under way 0+",
      "Finished 1+",
    ]);
    await home.find("[data-testid=older] button").trigger("click");
    await flushPromises();
    expect(asked).toEqual(["", "?limit=200"]);
  });

  it("teaches what it is for when it is empty", async () => {
    serve({ "/api/trips": [], "/api/session": { person: { may: ["look", "prepare"] }, demo: [] } });
    const home = mount(HomePage, { global: { plugins } });
    await flushPromises();
    expect(home.text()).toContain("No trips yet.");
    expect(home.text()).toContain("Send records out to begin one.");
  });

  it("opens a trip that was shared out at the part at which somebody is needed", () => {
    const about_part = { number: 2, label: "Eelgrass Point", more: 1 };
    const row = mount(TripRow, { props: { trip: trip({ about_part }), current: false }, global: { plugins } });
    expect(row.text()).toContain("Eelgrass Point, 1 more · ");
    expect(row.find("[title^='Berths · Eelgrass Point and 1 more part · ']").exists()).toBe(true);
    expect(row.find("a").attributes("href")).toBe("/trips/7?part=2");
  });

  it("shows a trip whose sheet is still out", () => {
    const out = trip({ rows: null, sent_rows: 2611, needs: { kind: "same", says: "out, not back yet", at: null } });
    const row = mount(TripRow, { props: { trip: out, current: false }, global: { plugins } });
    expect(row.text()).toContain("2,611 rows out");
    expect(row.find(".bar").exists()).toBe(false);
  });

  it("draws the rows of each day, refused ones on top", () => {
    const days = Array.from({ length: 14 }, (_, at) => ({
      day: `2026-11-${10 + at}`,
      carried: at * 10,
      refused: at === 13 ? 5 : 0,
    }));
    const chart = mount(CarriedChart, { props: { days } });
    expect(chart.text()).toContain("910 in · 5 refused, 0.5 %");
    const heights = chart.findAll("rect").map((bar) => Number(bar.attributes("height")));
    expect(Math.max(...heights)).toBeCloseTo((58 * 130) / 135);
    expect(heights[0]).toBe(0);
  });
});

describe("signing in", () => {
  const demo = [{ username: "ada", name: "Ada Quillfeather", role_label: "Administrator", password: "saltmarsh" }];

  it("takes one step for the people of the demo", async () => {
    const seen = serve({ "/api/session": { person: { username: "ada" }, demo: [] } });
    const page = mount(SignInPage, { props: { demo, sso: null }, global: { plugins } });
    await page.findAll("button")[1]!.trigger("click");
    await flushPromises();
    expect(seen[0]).toEqual(["/api/session", { username: "ada", password: "saltmarsh" }]);
    expect(queryClient.getQueryData(["session"])).toEqual({ person: { username: "ada" }, demo: [] });
  });

  it("says when name and password do not belong together, and shows nobody where there is no demo", async () => {
    vi.stubGlobal("fetch", async () =>
      Response.json({ detail: "That name and password do not belong together." }, { status: 400 }),
    );
    const page = mount(SignInPage, { props: { demo: [], sso: null }, global: { plugins } });
    await page.find("form").trigger("submit");
    await flushPromises();
    expect(page.find("[role=alert]").text()).toContain("do not belong together");
    expect(page.text()).not.toContain("part in the demo");
  });
});
