import { createRouter, createWebHistory } from "vue-router";

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
    { path: "/people/:username?", name: "people", component: () => import("./people/PeoplePage.vue") },
    { path: "/journal", name: "journal", component: () => import("./journal/JournalPage.vue") },
    { path: "/:rest(.*)", redirect: "/" },
  ],
});
