<script setup lang="ts">
import { computed } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Where a sound is used, in this episode and in others. */
const props = defineProps<{ sound: Schema["ShowSound"] }>();
const session = useSession();
const desk = useDeskContext();
const path = () => ({ show: session.episode!.show, sound: props.sound.id });

const { answer: used } = useAsked<Schema["Use"][] | null>({
  when: () => session.version,
  rest: 400,
  ask: (signal) =>
    session.episode && api.GET("/shows/{show}/sounds/{sound}/uses", { params: { path: path() }, signal }),
});
const uses = computed(() => used.value ?? []);
</script>

<template>
  <div class="field">
    <span class="label">Used</span>
    <span v-if="uses.length === 0" class="soft">nowhere yet</span>
    <ul v-else class="uses">
      <li v-for="u in uses" :key="u.episode">
        <span class="cut" :title="u.title">{{ u.number }} · {{ u.title }}</span>
        <span v-for="c in u.clips" :key="c.clip" class="soft">
          <button v-if="u.episode === session.episode?.id" class="link figures" @click="desk.seek(c.start)">
            {{ timeText(c.start) }}
          </button>
          <span v-else class="figures">{{ timeText(c.start) }}</span>
          {{ c.track }}
        </span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.field {
  display: flex;
  align-items: start;
  gap: 6px;
}
.field > :last-child {
  flex: 1;
  min-width: 0;
}
.label {
  flex: none;
  width: 56px;
}
.uses {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.uses li {
  display: grid;
}
</style>
