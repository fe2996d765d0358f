<script setup lang="ts">
import { FileAudio, Mic, Music } from "lucide-vue-next";
import { computed } from "vue";
import { useSounds } from "../../stores/sounds";
import { useUploads } from "../../stores/uploads";
import { useDeskContext, type GatherTab } from "../state/context";

const sounds = useSounds();
const uploads = useUploads();
const desk = useDeskContext();
const coming = computed(() => uploads.going.length > 0);

function show(tab: GatherTab): void {
  desk.stage.value = "gather";
  desk.gatherTab.value = tab;
}
</script>

<template>
  <div class="empty" role="row" data-row="empty">
    <div role="gridcell" class="cell">
      <h2>Nothing is on the desk yet</h2>
      <p v-if="coming" role="status">Your files are on their way. Each finds a track of its own.</p>
      <template v-else>
        <p>Drop a voice recording and a piece of music anywhere on this page. Each finds a track of its own.</p>
        <div class="ways">
          <button class="plain-button filled" data-stop="empty:files" @click="desk.chooseFiles.value()">
            <FileAudio :size="15" />Choose files
          </button>
          <button class="plain-button" data-stop="empty:record" @click="show('record')">
            <Mic :size="15" />Record a voice
          </button>
          <button class="plain-button" data-stop="empty:music" @click="show('music')">
            <Music :size="15" />Find music
          </button>
        </div>
        <p v-if="sounds.list.length > 0" class="soft">
          This show has sounds already:
          <button class="link" data-stop="empty:sounds" @click="show('sounds')">choose one under Gather</button> and
          press its plus sign.
        </p>
      </template>
    </div>
  </div>
</template>

<style scoped>
.empty {
  display: grid;
  justify-items: center;
  gap: 12px;
  padding: 60px 20px;
  text-align: center;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  justify-content: center;
  gap: 8px;
}
h2 {
  font-size: var(--type-title);
}
</style>
