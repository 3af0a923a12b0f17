import "./styles/main.css";

import { VueQueryPlugin } from "@tanstack/vue-query";
import { createApp } from "vue";

import App from "./App.vue";
import { queryClient } from "./api/client";
import { router } from "./router";

createApp(App).use(router).use(VueQueryPlugin, { queryClient }).mount("#app");
