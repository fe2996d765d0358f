<script setup lang="ts">
import { Trash2 } from "lucide-vue-next";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { timeText, whenText } from "../../model/units";
import { useSharing } from "../../stores/sharing";
import { useActing } from "../../talk/acting";

/** What a listener has written about a place. */
defineProps<{ remark: Schema["Remark"] }>();
const desk = useDeskContext();
const sharing = useSharing();
const STATES = { new: "New", shown: "On the page", hidden: "Not on the page" };

const { act } = useActing();
</script>

<template>
  <li>
    <div class="line">
      <button class="link figures" :title="`Go to ${timeText(remark.place)}`" @click="desk.seek(remark.place)">
        {{ timeText(remark.at, 0) }}
      </button>
      <strong class="cut">{{ remark.name || "A listener" }}</strong>
      <span class="soft state">{{ STATES[remark.state] }}</span>
    </div>
    <p class="words">{{ remark.words }}</p>
    <div class="line">
      <span class="soft when">{{ whenText(remark.made) }}</span>
      <button
        v-if="remark.state !== 'shown'"
        class="plain-button"
        @click="act(() => sharing.decide(remark.id, 'shown'))"
      >
        Show on the page
      </button>
      <button
        v-if="remark.state !== 'hidden'"
        class="plain-button"
        @click="act(() => sharing.decide(remark.id, 'hidden'))"
      >
        {{ remark.state === "new" ? "Keep to myself" : "Take off the page" }}
      </button>
      <button class="icon" aria-label="Remove the comment" title="Remove" @click="act(() => sharing.remove(remark.id))">
        <Trash2 :size="15" />
      </button>
    </div>
  </li>
</template>

<style scoped>
li {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-hint);
}
.line {
  display: flex;
  align-items: center;
  gap: 6px;
}
.line strong {
  flex: 1;
}
.when {
  flex: 1;
}
.words {
  margin: 3px 0;
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.line .plain-button {
  padding: 2px 8px;
}
.icon {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
</style>
