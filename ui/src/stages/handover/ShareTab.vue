<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed, reactive, ref, watch } from "vue";
import type { Refusal } from "../../api/client";
import { useMixdowns } from "../../stores/mixdowns";
import { useScript } from "../../stores/script";
import { useSharing } from "../../stores/sharing";
import RemarkRow from "./RemarkRow.vue";
import SharedLink from "./SharedLink.vue";
import { useActing } from "../../talk/acting";
import { announce } from "../../talk/announce";
import { goOn } from "../../talk/focus";

/** A finished file is given an address at which others hear it, and what they write about it is read here. */
const mixdowns = useMixdowns();
const sharing = useSharing();
const script = useScript();
const files = computed(() => mixdowns.list.filter((m) => m.plays));
const wanted = reactive({ file: "", ends: "", password: "", comments: false, transcript: false });
const { acting: sending, act } = useActing();
/** What is wrong with the password. */
const wrong = ref("");
const live = computed(() => sharing.links.filter((l) => !l.withdrawn));
const withdrawn = computed(() => sharing.links.filter((l) => l.withdrawn));
watch(files, (now) => now.some((f) => f.id === wanted.file) || (wanted.file = now[0]?.id ?? ""), { immediate: true });

/** The end of a day where the producer is. */
function endOf(day: string): string | undefined {
  return day ? new Date(`${day}T23:59:59`).toISOString() : undefined;
}

async function make(): Promise<void> {
  const known = new Set(sharing.links.map((l) => l.id));
  await act(async () => {
    const ends = endOf(wanted.ends);
    wrong.value = "";
    const password = wanted.password && { password: wanted.password };
    const { comments, transcript } = wanted;
    try {
      await sharing.make(wanted.file, { ...(ends && { ends }), ...password, comments, transcript });
    } catch (error) {
      // What is wrong with what was typed is said where it stands.
      if (!/password/i.test((error as Refusal).message)) throw error;
      wrong.value = (error as Refusal).message;
      return;
    }
    wanted.password = "";
    announce("The link was made.");
    goOn(() => {
      const fresh = live.value.find((l) => !known.has(l.id));
      return (
        fresh &&
        document.querySelector<HTMLElement>(`[data-link="${fresh.id}"] button, [data-link="${fresh.id}"] input`)
      );
    });
  });
}
</script>

<template>
  <p class="soft lead">Whoever has the link hears the file on a page of its own: chapters, description, credits.</p>
  <p v-if="files.length === 0" class="soft none">Mix down a file first, under Files; then it can be shared here.</p>
  <form v-else class="fields" @submit.prevent="make">
    <label for="share-file">File</label>
    <el-select v-bind="readOut" id="share-file" v-model="wanted.file" size="small" aria-label="File to share">
      <el-option v-for="f in files" :key="f.id" :value="f.id" :label="f.file" />
    </el-select>
    <label for="share-ends">Until</label>
    <input id="share-ends" v-model="wanted.ends" class="text-field" type="date" title="Left empty: until you end it" />
    <label for="share-password">Password</label>
    <input
      id="share-password"
      v-model="wanted.password"
      class="text-field"
      type="text"
      autocomplete="off"
      maxlength="100"
      placeholder="None; else 8 characters or more"
      :aria-invalid="wrong !== '' || undefined"
      :aria-describedby="wrong ? 'share-wrong' : undefined"
      @input="wrong = ''"
    />
    <span v-if="wrong"></span>
    <p v-if="wrong" id="share-wrong" class="alarm" role="alert">{{ wrong }}</p>
    <span></span>
    <label class="ticked"><input v-model="wanted.comments" type="checkbox" /> Listeners may comment</label>
    <span></span>
    <label class="ticked">
      <input v-model="wanted.transcript" type="checkbox" :disabled="!script.script?.text.trim()" /> Show the script as a
      transcript
    </label>
    <button class="plain-button filled go" :disabled="sending || !wanted.file">Make a link</button>
  </form>
  <hr class="panel-rule" />
  <h3>Links</h3>
  <p v-if="live.length === 0" class="soft none">Nobody but you hears anything of this episode yet.</p>
  <ul class="plain-list">
    <SharedLink v-for="l in live" :key="l.id" :link="l" />
  </ul>
  <details v-if="withdrawn.length">
    <summary class="soft">{{ withdrawn.length }} ended</summary>
    <ul class="plain-list">
      <SharedLink v-for="l in withdrawn" :key="l.id" :link="l" />
    </ul>
  </details>
  <template v-if="sharing.remarks.length">
    <hr class="panel-rule" />
    <h3>
      Comments <span v-if="sharing.waiting" class="soft">{{ sharing.waiting }} new</span>
    </h3>
    <ul class="plain-list">
      <RemarkRow v-for="r in sharing.remarks" :key="r.id" :remark="r" />
    </ul>
  </template>
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
h3 .soft {
  font-weight: 400;
}
.lead {
  margin: 8px 0;
  font-size: var(--type-hint);
}
.fields {
  display: grid;
  grid-template-columns: 62px 1fr;
  gap: 8px;
  align-items: center;
  font-size: var(--type-text);
}
.go {
  grid-column: 1 / -1;
  justify-content: center;
}
.none {
  padding: 8px 0;
  font-size: var(--type-hint);
}
summary {
  padding: 6px 0;
  font-size: var(--type-hint);
  cursor: pointer;
}
</style>
