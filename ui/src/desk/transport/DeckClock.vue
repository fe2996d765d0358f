<script setup lang="ts">
import { nextTick, ref, useTemplateRef, watch } from "vue";
import { parseTime, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";

/** Where the playhead is. A time that is typed over it moves it there. */
const session = useSession();
const desk = useDeskContext();
const typed = ref("");
const wrong = ref(false);
const field = useTemplateRef<HTMLInputElement>("field");
/** Where one came from, and goes on. */
let before: HTMLElement | null = null;

watch(desk.timing, async (on) => {
  if (!on) return;
  before = document.activeElement as HTMLElement | null;
  typed.value = timeText(desk.playhead.value);
  wrong.value = false;
  await nextTick();
  field.value?.focus();
  field.value?.select();
});

async function end(byKey: boolean): Promise<void> {
  if (!desk.timing.value) return;
  desk.timing.value = false;
  if (!byKey) return;
  await nextTick();
  if (before?.isConnected && before !== document.body) before.focus();
  else document.querySelector<HTMLElement>(".clock button")?.focus();
}

function take(): void {
  const to = parseTime(typed.value);
  wrong.value = to === undefined;
  if (to === undefined) return;
  desk.seek(to);
  if (to < desk.time.start || to > desk.time.end) desk.time.show(to - desk.time.width * desk.time.scale * 0.2);
  void end(true);
}
</script>

<template>
  <div class="clock figures">
    <span v-if="desk.timing.value" class="typing">
      <input
        ref="field"
        v-model="typed"
        class="now"
        aria-label="Where the playhead goes"
        :aria-invalid="wrong || undefined"
        :aria-describedby="wrong ? 'clock-wrong' : undefined"
        spellcheck="false"
        autocomplete="off"
        @keydown.enter.prevent.stop="take"
        @keydown.escape.prevent.stop="end(true)"
        @blur="end(false)"
      />
      <span v-if="wrong" id="clock-wrong" class="wrong" role="alert">Type a time like 0:12.5, or Esc.</span>
    </span>
    <button v-else title="Click to type where the playhead goes (Shift M)" @click="desk.timing.value = true">
      <span class="visually-hidden">Playhead at </span><span class="now">{{ timeText(desk.playhead.value) }}</span>
    </button>
    <span class="of">/ {{ timeText(session.length, 1) }}</span>
  </div>
</template>

<style scoped>
.clock {
  min-width: 196px;
  white-space: nowrap;
  contain: layout paint; /* its figures change in every frame, and move nothing else */
}
.clock:has(.typing) {
  contain: none; /* what is wrong is said above it */
}
button {
  padding: 0;
  border: 0;
  background: none;
  cursor: text;
}
.typing {
  position: relative;
}
.now {
  font-size: var(--type-sum);
  font-weight: 600;
}
input {
  width: 122px;
  padding: 0;
  border: 1px solid var(--deck-ink-soft);
  border-radius: var(--radius-small);
  background: var(--deck);
  color: inherit;
  font-family: inherit;
}
.wrong {
  position: absolute;
  bottom: 100%;
  left: 0;
  padding: 3px 8px;
  border: 1px solid var(--alarm);
  border-radius: var(--radius-button);
  background: var(--sheet);
  color: var(--alarm);
  font-size: var(--type-small);
}
.of {
  margin-left: 10px;
  color: var(--deck-ink-soft);
}
@media (max-width: 1100px) {
  .clock {
    min-width: 120px;
  }
  .of {
    display: none;
  }
}
</style>
