import { createRouter, createWebHistory } from "vue-router";

import { heedLeaving } from "./ui/address";

const STATIONS = "file|columns|keys|review|apply|outcome";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", name: "home", component: () => import("./home/HomePage.vue") },
    { path: "/send-out", name: "send-out", component: () => import("./sendout/SendOutPage.vue") },
    {
      path: `/trips/:id(\\d+)/:station(${STATIONS})?`,
      name: "trip",
      component: () => import("./trip/TripPage.vue"),
    },
    { path: "/sheets/:id(\\d+)", name: "sheet", component: () => import("./sheets/SheetPage.vue") },
    {
      path: "/applications/:name?",
      name: "applications",
      component: () => import("./applications/ApplicationsPage.vue"),
    },
    { path: "/marks", name: "marks", component: () => import("./sheets/MarksPage.vue") },
    { path: "/routes", name: "routes", component: () => import("./routes/RoutesPage.vue") },
    { path: "/people/:username?", name: "people", component: () => import("./people/PeoplePage.vue") },
    { path: "/access", name: "access", component: () => import("./access/AccessPage.vue") },
    { path: "/notices", name: "notices", component: () => import("./notices/NoticesPage.vue") },
    { path: "/upkeep", name: "upkeep", component: () => import("./upkeep/UpkeepPage.vue") },
    { path: "/choose-password", name: "choose-password", component: () => import("./home/HomePage.vue") },
    { path: "/journal", name: "journal", component: () => import("./journal/JournalPage.vue") },
    { path: "/:rest(.*)", redirect: "/" },
  ],
});

/** Within a trip, the part that is looked at goes along. */
router.beforeEach((to, from) => {
  const part = from.query.part;
  const same = to.name === "trip" && from.name === "trip" && to.params.id === from.params.id;
  if (same && part && !("part" in to.query)) return { ...to, query: { ...to.query, part } };
  return true;
});
heedLeaving(router);
