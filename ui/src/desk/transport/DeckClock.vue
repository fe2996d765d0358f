<script setup lang="ts">
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";

const session = useSession();
const desk = useDeskContext();
</script>

<template>
  <div class="clock figures" role="timer" aria-label="Time">
    <span class="now">{{ timeText(desk.playhead.value) }}</span>
    <span class="of">/ {{ timeText(session.length, 1) }}</span>
  </div>
</template>

<style scoped>
.clock {
  min-width: 196px;
  white-space: nowrap;
  contain: layout paint; /* its figures change in every frame, and move nothing else */
}
.now {
  font-size: var(--type-sum);
  font-weight: 600;
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
