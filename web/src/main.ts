import "./styles/main.css";

import { VueQueryPlugin } from "@tanstack/vue-query";
import { createApp } from "vue";

import App from "./App.vue";
import { queryClient } from "./api/client";
import { router } from "./router";
import { heedMistakes } from "./services/mistakes";

const app = createApp(App);
heedMistakes(app, router);
app.use(router).use(VueQueryPlugin, { queryClient }).mount("#app");
