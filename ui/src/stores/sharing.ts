import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useSession } from "./session";

/** The addresses at which finished files of the episode on the desk are heard, and what listeners have written. */
export const useSharing = defineStore("sharing", () => {
  const session = useSession();
  const links = ref<Schema["Shared"][]>([]);
  const remarks = ref<Schema["Remark"][]>([]);
  const feed = ref<Schema["FeedView"]>();
  const publication = ref<Schema["Publishing"]>();
  /** How many remarks nobody has looked at. */
  const waiting = computed(() => remarks.value.filter((r) => r.state === "new").length);

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const params = { path: { episode: desk.episode } };
    await desk.load(
      "links",
      (signal) => api.GET("/episodes/{episode}/links", { params, signal }),
      (there) => {
        links.value = there.links;
        remarks.value = there.remarks;
      },
    );
  }

  /** Asks how the show's feed and the episode in it are. */
  async function refreshFeed(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const show = desk.show;
    const episode = desk.episode;
    await Promise.all([
      desk.load(
        "feed",
        (signal) => api.GET("/shows/{show}/feed", { params: { path: { show } }, signal }),
        (there) => (feed.value = there),
      ),
      desk.load(
        "publication",
        (signal) => api.GET("/episodes/{episode}/publication", { params: { path: { episode } }, signal }),
        (there) => (publication.value = there),
      ),
    ]);
  }

  async function setFeed(body: Schema["FeedSettings"]): Promise<void> {
    const show = session.open?.show ?? "";
    feed.value = await ask(api.PUT("/shows/{show}/feed", { params: { path: { show } }, body }));
    await refreshFeed();
  }

  async function publish(body: Schema["ToPublish"]): Promise<void> {
    const episode = session.open?.episode ?? "";
    publication.value = await ask(api.PUT("/episodes/{episode}/publication", { params: { path: { episode } }, body }));
  }

  async function unpublish(): Promise<void> {
    const episode = session.open?.episode ?? "";
    publication.value = await ask(
      api.POST("/episodes/{episode}/publication/withdraw", { params: { path: { episode } } }),
    );
  }

  async function make(mixdown: string, body: Schema["NewLink"]): Promise<Schema["Shared"]> {
    const link = await ask(api.POST("/mixdowns/{mixdown}/links", { params: { path: { mixdown } }, body }));
    await refresh();
    return link;
  }

  async function change(link: string, body: Schema["ChangedLink"]): Promise<void> {
    await ask(api.PUT("/links/{link}", { params: { path: { link } }, body }));
    await refresh();
  }

  async function withdraw(link: string): Promise<void> {
    await ask(api.POST("/links/{link}/withdraw", { params: { path: { link } } }));
    await refresh();
  }

  async function decide(comment: string, state: "shown" | "hidden"): Promise<void> {
    await ask(api.PUT("/comments/{comment}", { params: { path: { comment } }, body: { state } }));
    await refresh();
  }

  async function remove(comment: string): Promise<void> {
    await ask(api.DELETE("/comments/{comment}", { params: { path: { comment } } }));
    await refresh();
  }

  function leave(): void {
    links.value = [];
    remarks.value = [];
    feed.value = publication.value = undefined;
  }

  return {
    links,
    remarks,
    feed,
    publication,
    waiting,
    refresh,
    refreshFeed,
    setFeed,
    publish,
    unpublish,
    make,
    change,
    withdraw,
    decide,
    remove,
    leave,
  };
});
