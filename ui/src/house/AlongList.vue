<script setup lang="ts">
import { ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { tell } from "../talk/tell";

/** Episodes whose layout has changed since they were made from it: what would become of each, and the button that does it. */
defineProps<{ along: Schema["Bringable"][] }>();
const emit = defineEmits<{ brought: [] }>();
const busy = ref("");

const comes = (a: Schema["Bringable"]) => a.changes.filter((c) => !c.kept);
const stays = (a: Schema["Bringable"]) => a.changes.filter((c) => c.kept);

async function bring(a: Schema["Bringable"]): Promise<void> {
  busy.value = a.episode.id;
  try {
    await ask(api.POST("/episodes/{episode}/along", { params: { path: { episode: a.episode.id } } }));
    tell(`“${a.episode.title}” is in line again. It is one step, which can be undone there.`, "success");
  } catch (error) {
    tell(error);
  }
  busy.value = "";
  emit("brought");
}
</script>

<template>
  <section>
    <h2>Bring episodes along</h2>
    <p class="soft">The house sound has changed since these episodes were made. Nothing changes in them by itself.</p>
    <ul class="plain-list">
      <li v-for="a in along" :key="a.episode.id">
        <div class="head">
          <strong class="cut">{{ a.episode.number }} · {{ a.episode.title }}</strong>
          <span class="soft">began as {{ a.layout }}</span>
          <router-link class="plain-button small" :to="`/episodes/${a.episode.id}`">Open</router-link>
          <button class="plain-button small filled" :disabled="comes(a).length === 0 || busy !== ''" @click="bring(a)">
            Bring it along
          </button>
        </div>
        <ul v-if="comes(a).length > 0" class="changes" aria-label="What would change">
          <li v-for="c in comes(a)" :key="c.what">{{ c.what }}</li>
        </ul>
        <template v-if="stays(a).length > 0">
          <p class="soft">Stays as it is in the episode:</p>
          <ul class="changes soft" aria-label="What stays">
            <li v-for="c in stays(a)" :key="c.what">{{ c.what }}</li>
          </ul>
        </template>
      </li>
    </ul>
  </section>
</template>

<style scoped>
section {
  margin-top: 28px;
}
h2 {
  font-size: var(--type-head);
}
p {
  margin: 2px 0 8px;
  font-size: var(--type-text);
}
.plain-list > li {
  padding: 10px 0;
  border-top: 1px solid var(--rule);
}
.head {
  display: flex;
  align-items: center;
  gap: 12px;
}
.head .soft {
  flex: 1;
}
.head a {
  color: inherit;
  text-decoration: none;
}
.changes {
  margin: 6px 0 0;
  padding-left: 20px;
  font-size: var(--type-text);
}
.head + .changes {
  list-style: disc;
}
</style>
