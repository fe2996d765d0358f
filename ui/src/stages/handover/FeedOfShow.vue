<script setup lang="ts">
import type { Schema } from "../../api/client";
import { useSession } from "../../stores/session";
import { useSharing } from "../../stores/sharing";
import { useActing } from "../../talk/acting";
import { useField } from "../../talk/keeping";
import KeptText from "../../talk/KeptText.vue";
import Tick from "../../talk/Tick.vue";
import AddressLine from "./AddressLine.vue";

/** What the feed says of the show, and who finds it. */
const props = defineProps<{ feed: Schema["FeedView"] }>();
const session = useSession();
const sharing = useSharing();
const show = session.open!.show;
type Key = "name" | "description" | "home" | "contact" | "category";
const fields: { key: Key; name: string; most: number; rows?: number; placeholder?: string }[] = [
  { key: "name", name: "Name", most: 60, placeholder: "None: private" },
  { key: "description", name: "About", most: 4000, rows: 3 },
  { key: "home", name: "Home page", most: 500, placeholder: "https://" },
  { key: "contact", name: "Contact", most: 200, placeholder: "Mail address" },
  { key: "category", name: "Category", most: 100 },
];
const kept = fields.map((f) => ({
  ...f,
  field: useField(`feed ${show} ${f.key}`, {
    name: f.name,
    read: () => ({ value: props.feed[f.key] ?? "", base: props.feed[f.key] ?? null }),
    send: async (text, was) => {
      const there = await sharing.reviseFeed(show, { [f.key]: { was, now: text.trim() } });
      return there[f.key] ?? null;
    },
    changed: {
      code: "changed-meanwhile",
      there: async (refusal) => {
        const value = refusal.details.find((d) => d.location === f.key)?.value ?? null;
        await sharing.refreshFeed();
        return { value: String(value ?? ""), base: value };
      },
    },
  }),
}));
const { act } = useActing();
const setExplicit = (now: boolean) =>
  act(() => sharing.reviseFeed(show, { explicit: { was: props.feed.explicit ?? false, now } }));
</script>

<template>
  <h3>The feed of the show</h3>
  <AddressLine :path="feed.path" name="the feed" />
  <p class="soft note">
    <template v-if="feed.name">Everybody finds it under its name.</template>
    <template v-else>For those alone who have the address. </template>
    <button v-if="!feed.name" class="link" @click="act(sharing.renewFeed)">Give it another address</button>
  </p>
  <div class="fields">
    <KeptText
      v-for="f in kept"
      :id="`feed-${f.key}`"
      :key="f.key"
      :label="f.name"
      :field="f.field"
      :most="f.most"
      :rows="f.rows"
      :placeholder="f.placeholder"
    />
    <span></span>
    <label class="ticked"><Tick :on="feed.explicit ?? false" :set="setExplicit" /> Not for children</label>
  </div>
  <p class="soft note">Title, artwork, language and presenter are those under Details that hold for all episodes.</p>
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
.note {
  margin: 4px 0 8px;
  font-size: var(--type-small);
}
.fields {
  display: grid;
  grid-template-columns: 72px 1fr;
  gap: 8px;
  align-items: center;
  font-size: var(--type-text);
}
.fields :deep(.kept-note) {
  grid-column: 1 / -1;
}
</style>
