<script setup lang="ts">
import { ImagePlus } from "lucide-vue-next";
import { computed, ref } from "vue";
import type { Refusal } from "../../api/client";
import { useSession } from "../../stores/session";
import { handIn } from "./pictures";

/** The artwork: a square picture, handed in as a file. */
const props = defineProps<{ picture: string; otherwise: string }>();
const emit = defineEmits<{ change: [id: string] }>();
const session = useSession();
const busy = ref(false);
const note = ref("");
const problem = ref("");
const field = ref<HTMLInputElement>();
const shown = computed(() => props.picture || props.otherwise);

async function take(file: File | undefined): Promise<void> {
  const show = session.open?.show;
  if (!file || !show) return;
  busy.value = true;
  problem.value = note.value = "";
  try {
    const there = await handIn(show, file, "artwork");
    note.value = `${there.size} × ${there.size} pixels${there.note && ", " + there.note}`;
    emit("change", there.id);
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
  busy.value = false;
  if (field.value) field.value.value = "";
}
</script>

<template>
  <div class="artwork" @dragover.prevent @drop.prevent.stop="take($event.dataTransfer?.files[0])">
    <img v-if="shown" :src="`/api/pictures/${shown}`" alt="Artwork" width="84" height="84" />
    <div v-else class="empty"><ImagePlus :size="24" /></div>
    <div class="said">
      <strong>Artwork</strong>
      <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
      <p v-else-if="note" class="soft" role="status">{{ note }}</p>
      <p v-else-if="!picture && otherwise" class="soft">As every episode</p>
      <p v-else-if="!shown" class="soft">JPEG or PNG, 1400 pixels or more on each side</p>
      <div class="acts">
        <button class="plain-button" :disabled="busy" @click="field?.click()">
          {{ busy ? "Reading…" : picture ? "Another picture" : "Choose a picture" }}
        </button>
        <button v-if="picture" class="link" @click="emit('change', '')">Leave it out</button>
      </div>
      <input
        ref="field"
        class="visually-hidden"
        type="file"
        accept="image/jpeg,image/png"
        aria-label="Picture file for the artwork"
        tabindex="-1"
        @change="take(($event.target as HTMLInputElement).files?.[0])"
      />
    </div>
  </div>
</template>

<style scoped>
.artwork {
  position: relative; /* it holds the hidden field */
  display: flex;
  gap: 10px;
  margin-bottom: 10px;
  font-size: var(--type-hint);
}
img,
.empty {
  flex: none;
  width: 84px;
  height: 84px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
}
.empty {
  display: grid;
  place-items: center;
  border-style: dashed;
  color: var(--ink-soft);
}
.said {
  min-width: 0;
}
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 4px;
}
.plain-button {
  padding: 3px 9px;
  font-size: var(--type-hint);
}
</style>
