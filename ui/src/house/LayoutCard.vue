<script setup lang="ts">
import { Trash2 } from "lucide-vue-next";
import { computed, onMounted, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { lengthText, timeText, whenText } from "../model/units";
import Silhouette from "../shelf/Silhouette.vue";

/** A layout: what is always there, and where something of each episode's own goes. */
const props = defineProps<{
  layout: Schema["Layout"];
  /** The one who looks owns the show: layouts are its house sound. */ owned: boolean;
}>();
defineEmits<{ begin: []; remove: [] }>();
const outline = ref<Schema["Silhouette"]>();
const WIDTH = 420;

const length = computed(() => Math.max(props.layout.length, ...props.layout.places.map((p) => p.to), 1));
const share = (frames: number) => `${(frames / length.value) * 100}%`;
const made = computed(() =>
  props.layout.made === 0
    ? "no episode has begun as it yet"
    : `${props.layout.made === 1 ? "1 episode" : `${props.layout.made} episodes`} began as it`,
);

onMounted(async () => {
  if (props.layout.length === 0) return;
  try {
    const path = { episode: props.layout.id };
    outline.value = await ask(
      api.GET("/episodes/{episode}/silhouette", { params: { path, query: { columns: WIDTH } } }),
    );
  } catch {
    outline.value = undefined; // the rest of the card says enough
  }
});
</script>

<template>
  <li>
    <div class="head">
      <h2 class="cut" :title="layout.title">{{ layout.title }}</h2>
      <span class="soft">{{ layout.target }} · changed {{ whenText(layout.changed) }} · {{ made }}</span>
      <span class="acts">
        <button class="plain-button filled" @click="$emit('begin')">New episode</button>
        <router-link v-if="owned" class="plain-button" :to="`/episodes/${layout.id}`">Edit the layout</router-link>
        <button
          v-if="owned"
          class="row-button"
          :aria-label="`Remove ${layout.title}`"
          title="Remove it"
          @click="$emit('remove')"
        >
          <Trash2 :size="15" />
        </button>
      </span>
    </div>
    <div class="picture" :style="{ width: `${WIDTH}px` }">
      <div class="places">
        <span
          v-for="p in layout.places"
          :key="`${p.track} ${p.from}`"
          class="place cut"
          :style="{ left: share(p.from), width: share(p.to - p.from) }"
          :title="`${p.name}, ${p.track}: about ${lengthText(p.to - p.from)}`"
          >{{ p.name }}</span
        >
      </div>
      <div class="music" :style="{ width: share(layout.length) }">
        <Silhouette :outline="outline" :width="Math.round((WIDTH * layout.length) / length)" :height="40" />
      </div>
      <span class="figures soft">{{ timeText(length, 0) }}</span>
    </div>
    <dl>
      <dt>Goes there</dt>
      <dd>
        {{ layout.places.map((p) => `${p.name} (${p.track})`).join(" · ") || "no empty place: edit the layout" }}
      </dd>
      <dt>Always there</dt>
      <dd>{{ layout.music.map((m) => m.name).join(" · ") || "no music yet" }}</dd>
      <dt>Tracks</dt>
      <dd>{{ layout.tracks.join(" · ") || "none yet" }}</dd>
    </dl>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 10px 24px;
  padding: 14px 18px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--sheet);
}
.head {
  grid-column: 1 / 3;
  display: flex;
  align-items: baseline;
  gap: 14px;
}
h2 {
  font-size: var(--type-question);
}
.head .soft {
  flex: 1;
  font-size: var(--type-small);
}
.acts {
  display: flex;
  flex: none;
  align-items: center;
  gap: 8px;
}
.acts a {
  color: inherit;
  text-decoration: none;
}
.picture {
  position: relative;
}
.places {
  position: relative;
  height: 24px;
}
.place {
  position: absolute;
  top: 0;
  height: 22px;
  padding: 0 4px;
  border: 1.5px dashed var(--voice);
  border-radius: var(--radius-small);
  font-size: var(--type-small);
  line-height: 19px;
  text-align: center;
}
.picture .figures {
  position: absolute;
  right: 0;
  bottom: -14px;
  font-size: var(--type-small);
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-content: start;
  gap: 4px 10px;
  margin: 0;
  font-size: var(--type-text);
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
</style>
