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
import { useMe } from "./people/me";

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: () => import("./shelf/ShelfView.vue") },
    { path: "/shows/:show", component: () => import("./shelf/ShelfView.vue"), props: true },
    { path: "/shows/:show/people", component: () => import("./people/PeopleView.vue"), props: true },
    { path: "/shows/:show/house", component: () => import("./house/HouseView.vue"), props: true },
    { path: "/episodes/:episode", component: () => import("./desk/DeskView.vue"), props: true },
    { path: "/episodes/:episode/hear", component: () => import("./hear/HearView.vue"), props: true },
    { path: "/episodes/:episode/read", component: () => import("./hear/ReadView.vue"), props: true },
    { path: "/sign-in", component: () => import("./people/SignInView.vue"), meta: { open: true } },
    { path: "/join", component: () => import("./people/JoinView.vue"), meta: { open: true } },
    { path: "/me", component: () => import("./people/AccountView.vue") },
    { path: "/:rest(.*)", redirect: "/" },
  ],
});

const pinia = createPinia();

// Where there are several people, nobody sees more than how to come in before they have.
router.beforeEach(async (to) => {
  const me = useMe(pinia);
  await me.load();
  if (me.people && !me.person && !to.meta.open)
    return { path: "/sign-in", query: to.path === "/" ? {} : { to: to.fullPath } };
  if (to.path === "/me" && me.me && !me.people) return "/";
  return true;
});

createApp(App).use(pinia).use(router).mount("#app");
