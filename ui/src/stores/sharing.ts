import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import type { Revision } from "../talk/keeping";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** The addresses at which finished files of the episode on the desk are heard, and what listeners have written. */
export const useSharing = defineStore("sharing", () => {
  const session = useSession();
  const links = ref<Schema["Shared"][]>([]);
  const remarks = ref<Schema["Remark"][]>([]);
  /** How many remarks nobody has looked at. */
  const waiting = computed(() => remarks.value.filter((r) => r.state === "new").length);
  const shared = useAsked<Schema["Sharing"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      return episode ? api.GET("/episodes/{episode}/links", { params: { path: { episode } }, signal }) : undefined;
    },
    take: (there) => {
      links.value = there.links;
      remarks.value = there.remarks;
    },
  });
  /** How the show's feed is, and the episode in it. */
  const feed = useAsked<Schema["FeedView"]>({
    ask: (signal) => {
      const show = session.open?.show;
      return show ? api.GET("/shows/{show}/feed", { params: { path: { show } }, signal }) : undefined;
    },
  });
  const publication = useAsked<Schema["Publishing"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      return episode
        ? api.GET("/episodes/{episode}/publication", { params: { path: { episode } }, signal })
        : undefined;
    },
  });
  const { refresh } = shared;

  async function refreshFeed(): Promise<void> {
    await Promise.all([feed.refresh(), publication.refresh()]);
  }

  /** Changes what the feed says, each field against what it said when it was read. */
  async function reviseFeed(show: string, body: Revision): Promise<Schema["FeedView"]> {
    const there = await ask(api.PATCH("/shows/{show}/feed", { params: { path: { show } }, body }));
    if (session.open?.show === show) feed.answer.value = there;
    return there;
  }

  async function renewFeed(): Promise<void> {
    const show = session.open?.show ?? "";
    feed.answer.value = await ask(api.POST("/shows/{show}/feed/renew", { params: { path: { show } } }));
  }

  async function publish(body: Schema["ToPublish"]): Promise<void> {
    const episode = session.open?.episode ?? "";
    publication.answer.value = await ask(
      api.PUT("/episodes/{episode}/publication", { params: { path: { episode } }, body }),
    );
  }

  async function unpublish(): Promise<void> {
    const episode = session.open?.episode ?? "";
    publication.answer.value = await ask(
      api.POST("/episodes/{episode}/publication/withdraw", { params: { path: { episode } } }),
    );
  }

  async function make(mixdown: string, body: Schema["NewLink"]): Promise<Schema["Shared"]> {
    const link = await ask(api.POST("/mixdowns/{mixdown}/links", { params: { path: { mixdown } }, body }));
    await refresh();
    return link;
  }

  async function change(link: string, body: Schema["ChangedLink"]): Promise<void> {
    await ask(api.PATCH("/links/{link}", { params: { path: { link } }, body }));
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
    for (const asked of [shared, feed, publication]) asked.forget();
  }

  return {
    links,
    remarks,
    feed: feed.answer,
    feedProblem: feed.problem,
    publication: publication.answer,
    waiting,
    refresh,
    refreshFeed,
    reviseFeed,
    renewFeed,
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
