<script setup lang="ts">
import PickList from "../../desk/widgets/PickList.vue";
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed, onMounted, reactive, ref, watch } from "vue";
import type { Refusal } from "../../api/client";
import { useMixdowns } from "../../stores/mixdowns";
import { useScript } from "../../stores/script";
import { useSharing } from "../../stores/sharing";
import FeedOfShow from "./FeedOfShow.vue";
import { useActing } from "../../talk/acting";

/** A finished file is put into the feed of the show, now or at a time, and taken out again. */
const mixdowns = useMixdowns();
const sharing = useSharing();
const script = useScript();
const wanted = reactive({ file: "", later: false, at: "", transcript: false });
const { acting: sending, act } = useActing();
const problem = ref("");
const files = computed(() => mixdowns.list.filter((m) => m.plays && !m.chapter));
const there = computed(() => sharing.publication);
const inFeed = computed(() => there.value?.state === "published" || there.value?.state === "waiting");
const state = computed(() => {
  const p = there.value;
  if (!p || p.state === "never") return "Not in the feed yet.";
  const when = p.at ? new Date(p.at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" }) : "";
  if (p.state === "waiting") return `Goes into the feed on ${when}.`;
  return p.state === "published" ? `In the feed since ${when}.` : "Taken out of the feed.";
});
watch(
  () => [files.value, there.value?.mixdown] as const,
  ([all, published]) => {
    if (!all.some((f) => f.id === wanted.file)) wanted.file = published || (all[0]?.id ?? "");
  },
  { immediate: true },
);
onMounted(() => sharing.refreshFeed().catch((e: Refusal) => (problem.value = e.message)));

const publish = () =>
  act(() =>
    sharing.publish({
      mixdown: wanted.file,
      transcript: wanted.transcript,
      ...(wanted.later && wanted.at && { at: new Date(wanted.at).toISOString() }),
    }),
  );
</script>

<template>
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <p class="state" :class="there?.state" aria-live="polite">{{ state }}</p>
  <p v-if="inFeed" class="soft file cut" :title="there?.file">
    {{ there?.file }}
    <template v-if="there?.state === 'published'">· <a :href="there?.page" target="_blank">its page</a></template>
  </p>
  <button v-if="inFeed" class="plain-button" :disabled="sending" @click="act(sharing.unpublish)">
    Take it out of the feed
  </button>
  <p v-if="files.length === 0" class="soft none">
    Mix down a file of the whole episode first, under Files; then it can be published here.
  </p>
  <form v-else class="fields" @submit.prevent="publish">
    <label for="feed-file">File</label>
    <el-select v-bind="readOut" id="feed-file" v-model="wanted.file" size="small" aria-label="File to publish">
      <el-option v-for="f in files" :key="f.id" :value="f.id" :label="f.file" />
    </el-select>
    <label for="feed-later">When</label>
    <div class="when">
      <PickList
        id="feed-later"
        v-model="wanted.later"
        class="short"
        label="When it appears"
        :options="[
          { value: false, name: 'Now' },
          { value: true, name: 'At' },
        ]"
      />
      <input
        v-if="wanted.later"
        v-model="wanted.at"
        class="text-field"
        type="datetime-local"
        aria-label="Time of publication"
        required
      />
    </div>
    <span></span>
    <label class="ticked">
      <input v-model="wanted.transcript" type="checkbox" :disabled="!script.script?.text.trim()" /> With the script as
      its transcript
    </label>
    <button class="plain-button filled go" :disabled="sending || !wanted.file">
      {{ inFeed ? "Publish again" : "Publish" }}
    </button>
  </form>
  <hr class="panel-rule" />
  <FeedOfShow v-if="sharing.feed" :key="sharing.feed.path" :feed="sharing.feed" />
</template>

<style scoped>
.state {
  margin: 10px 0 2px;
  font-weight: 600;
}
.state.published {
  color: var(--voice);
}
.file {
  margin-bottom: 6px;
  font-size: var(--type-hint);
}
.file a {
  color: inherit;
}
.fields {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 8px;
  align-items: center;
  margin-top: 10px;
  font-size: var(--type-text);
}
.when {
  display: flex;
  gap: 6px;
}
.when .text-field {
  flex: 1;
}
.when .short {
  flex: 0 0 64px;
}
.go {
  grid-column: 1 / -1;
  justify-content: center;
}
.none {
  padding: 8px 0;
  font-size: var(--type-hint);
}
</style>
