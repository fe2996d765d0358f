<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { ElDropdown, ElDropdownItem, ElDropdownMenu, ElMessage } from "element-plus";
import { MoreHorizontal, Pause, Play } from "lucide-vue-next";
import { computed, onMounted, ref, useTemplateRef, watch } from "vue";
import { api, ask, type Part, type Refusal, type Schema } from "../api/client";
import { useDeskContext } from "../desk/context";
import { arrivals, reader } from "../drawing/peaks";
import { prepare, token } from "../drawing/tokens";
import { figure, SILENCE, timeText } from "../model/units";
import { useDesk } from "../stores/desk";

const props = defineProps<{ sound: Schema["LibrarySound"]; hearing: boolean }>();
defineEmits<{ hear: [] }>();
const store = useDesk();
const desk = useDeskContext();
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
const box = useTemplateRef<HTMLElement>("box");
const { width } = useElementSize(box);
const renaming = ref<string>();
const HEIGHT = 22;

const uses = computed(() => {
  let n = 0;
  for (const track of store.document?.tracks ?? [])
    n += Object.values(track.clips).filter((c) => c.sound === props.sound.id).length;
  if (n === 0) return props.sound.used > 0 ? "elsewhere" : "";
  return n === 1 ? "used" : n === 2 ? "used twice" : `used ${n} times`;
});

function draw(): void {
  if (!canvas.value || width.value < 2) return;
  const g = prepare(canvas.value, width.value, HEIGHT);
  const scale = props.sound.length / width.value;
  const read = reader(props.sound.id, scale);
  g.fillStyle = token(props.sound.part);
  for (let x = 0; x < width.value; x++) {
    const [low, high] = read(x * scale, (x + 1) * scale);
    const top = (high * HEIGHT) / 2;
    g.fillRect(x, HEIGHT / 2 - top, 1, Math.max(1, top - (low * HEIGHT) / 2));
  }
}
onMounted(draw);
watch(() => [width.value, props.sound.part, arrivals.get(props.sound.id)], draw, { flush: "post" });

async function change(body: Schema["SoundChange"]): Promise<void> {
  if (!store.episode) return;
  try {
    const path = { show: store.episode.show, sound: props.sound.id };
    await ask(api.PATCH("/shows/{show}/sounds/{sound}", { params: { path }, body }));
  } catch (error) {
    ElMessage.error((error as Refusal).message);
  }
}

function rename(): void {
  const name = renaming.value?.trim();
  renaming.value = undefined;
  if (name && name !== props.sound.name) void change({ name });
}

async function command(what: string): Promise<void> {
  if (what === "insert") insert();
  else if (what === "rename") renaming.value = props.sound.name;
  else if (what === "remove") await remove();
  else await change({ part: what as Part });
}

function insert(): void {
  const { id, name, part } = props.sound;
  const track = store.document?.tracks.find((t) => t.id === desk.selection.track && t.part === part)?.id;
  const start = Math.round(desk.playhead.value);
  void store.edit({ type: "insert-clip", sound: id, start, track, part, name });
}

async function remove(): Promise<void> {
  if (!store.episode) return;
  try {
    const path = { show: store.episode.show, sound: props.sound.id };
    await ask(api.DELETE("/shows/{show}/sounds/{sound}", { params: { path } }));
  } catch (error) {
    ElMessage.error({ message: (error as Refusal).message, duration: 7000, showClose: true });
  }
}

function dragStart(event: DragEvent): void {
  event.dataTransfer?.setData("application/x-ruvel-sound", props.sound.id);
}
</script>

<template>
  <li draggable="true" :data-sound="sound.name" @dragstart="dragStart">
    <button
      class="hear"
      :class="sound.part"
      :aria-label="hearing ? `Stop ${sound.name}` : `Hear ${sound.name}`"
      @click="$emit('hear')"
    >
      <component :is="hearing ? Pause : Play" :size="12" fill="currentColor" />
    </button>
    <div class="about">
      <div class="line">
        <input
          v-if="renaming !== undefined"
          v-model="renaming"
          maxlength="200"
          aria-label="Name of the sound"
          @vue:mounted="($event: { el: HTMLInputElement }) => $event.el.select()"
          @blur="rename"
          @keydown.enter="rename"
          @keydown.escape="renaming = undefined"
        />
        <strong v-else class="cut" :title="sound.name">{{ sound.name }}</strong>
        <span class="soft uses">{{ uses }}</span>
      </div>
      <div ref="box" class="wave">
        <canvas ref="canvas" :style="{ width: `${width}px`, height: `${HEIGHT}px` }" aria-hidden="true"></canvas>
      </div>
      <div class="line">
        <span class="soft facts figures">
          {{ sound.channels === 1 ? "Mono" : "Stereo" }} · {{ timeText(sound.length, 0) }} ·
          {{ sound.loudness.integrated > SILENCE ? `${figure(sound.loudness.integrated)} LUFS` : "silent" }}
        </span>
        <el-dropdown trigger="click" @command="command">
          <button class="more" :aria-label="`More for ${sound.name}`"><MoreHorizontal :size="15" /></button>
          <template #dropdown>
            <el-dropdown-menu>
              <el-dropdown-item command="insert">Insert at the playhead</el-dropdown-item>
              <el-dropdown-item command="rename">Rename</el-dropdown-item>
              <el-dropdown-item command="voice" divided :disabled="sound.part === 'voice'"
                >This is a voice</el-dropdown-item
              >
              <el-dropdown-item command="music" :disabled="sound.part === 'music'">This is music</el-dropdown-item>
              <el-dropdown-item command="effect" :disabled="sound.part === 'effect'"
                >This is an effect</el-dropdown-item
              >
              <el-dropdown-item command="remove" divided>Remove from the show</el-dropdown-item>
            </el-dropdown-menu>
          </template>
        </el-dropdown>
      </div>
    </div>
  </li>
</template>

<style scoped>
li {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  cursor: grab;
}
.hear {
  flex: none;
  display: grid;
  place-items: center;
  width: 28px;
  height: 28px;
  padding: 0;
  border: 1px solid currentColor;
  border-radius: 50%;
  background: none;
  cursor: pointer;
}
.hear.voice {
  color: var(--voice);
}
.hear.music {
  color: var(--music);
}
.hear.effect {
  color: var(--effect);
}
.about {
  flex: 1;
  min-width: 0;
}
.line {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
}
.uses {
  flex: none;
  font-size: 12px;
}
.wave {
  height: 22px;
}
.facts {
  font-size: 11px;
}
.more {
  display: grid;
  padding: 2px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
input {
  min-width: 0;
  flex: 1;
  font: inherit;
}
</style>
