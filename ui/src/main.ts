import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
import "@fontsource/atkinson-hyperlegible-next/700.css";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/600.css";
import "./model/night";
import "./styles/elements";
import "./styles/tokens.css";
import "./styles/base.css";
import "./styles/forced.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import { createRouter, createWebHistory } from "vue-router";
import App from "./App.vue";

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: () => import("./shelf/ShelfView.vue") },
    { path: "/shows/:show", component: () => import("./shelf/ShelfView.vue"), props: true },
    { path: "/shows/:show/house", component: () => import("./house/HouseView.vue"), props: true },
    { path: "/episodes/:episode", component: () => import("./desk/DeskView.vue"), props: true },
    { path: "/:rest(.*)", redirect: "/" },
  ],
});

createApp(App).use(createPinia()).use(router).mount("#app");
