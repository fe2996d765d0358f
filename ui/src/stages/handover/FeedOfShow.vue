<script setup lang="ts">
import { reactive, ref } from "vue";
import type { Refusal, Schema } from "../../api/client";
import { useSharing } from "../../stores/sharing";
import AddressLine from "./AddressLine.vue";

/** What the feed says of the show, and who finds it. */
const props = defineProps<{ feed: Schema["FeedView"] }>();
const sharing = useSharing();
const said = reactive({
  name: props.feed.name,
  description: props.feed.description ?? "",
  contact: props.feed.contact ?? "",
  category: props.feed.category ?? "",
  home: props.feed.home ?? "",
  explicit: props.feed.explicit ?? false,
});
const problem = ref("");

async function keep(renew = false): Promise<void> {
  problem.value = "";
  try {
    await sharing.setFeed({ ...said, ...(props.feed.author && { author: props.feed.author }), renew });
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}
</script>

<template>
  <h3>The feed of the show</h3>
  <AddressLine :path="feed.path" name="the feed" />
  <p class="soft note">
    <template v-if="feed.name">Everybody finds it under its name.</template>
    <template v-else>For those alone who have the address. </template>
    <button v-if="!feed.name" class="link" @click="keep(true)">Give it another address</button>
  </p>
  <div class="fields" @change="keep()">
    <label for="feed-name">Name</label>
    <input id="feed-name" v-model.trim="said.name" class="text-field" maxlength="60" placeholder="None: private" />
    <label for="feed-about">About</label>
    <textarea id="feed-about" v-model="said.description" class="text-field" rows="3" maxlength="4000"></textarea>
    <label for="feed-home">Home page</label>
    <input id="feed-home" v-model.trim="said.home" class="text-field" maxlength="500" placeholder="https://" />
    <label for="feed-contact">Contact</label>
    <input
      id="feed-contact"
      v-model.trim="said.contact"
      class="text-field"
      maxlength="200"
      placeholder="Mail address"
    />
    <label for="feed-category">Category</label>
    <input id="feed-category" v-model.trim="said.category" class="text-field" maxlength="100" />
    <span></span>
    <label class="ticked"><input v-model="said.explicit" type="checkbox" /> Not for children</label>
  </div>
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <p class="soft note">Title, artwork, language and presenter are those under Details that hold for all episodes.</p>
</template>

<style scoped>
h3 {
  font-size: 14px;
}
.note {
  margin: 4px 0 8px;
  font-size: 12px;
}
.fields {
  display: grid;
  grid-template-columns: 72px 1fr;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
textarea {
  resize: vertical;
}
</style>
