<script setup lang="ts">
import { computed } from "vue";
import { useDeskContext, type BalanceTab } from "../../desk/state/context";
import TabBar from "../../desk/widgets/TabBar.vue";
import TabPanel from "../../desk/widgets/TabPanel.vue";
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { chosenOn } from "./chosen";
import EvenOut from "./EvenOut.vue";
import LevelTab from "./LevelTab.vue";
import RoomTab from "./RoomTab.vue";
import TreatmentTab from "./TreatmentTab.vue";

/** What acts on levels, one thing at a time, of the clip or the track that is chosen. */
const session = useSession();
const desk = useDeskContext();
const { clip, track } = chosenOn(desk);
const tabs: { key: BalanceTab; name: string }[] = [
  { key: "level", name: "Level" },
  { key: "treatment", name: "Treatment" },
  { key: "room", name: "Room" },
  { key: "voices", name: "Voices" },
];
const views = { level: LevelTab, treatment: TreatmentTab, room: RoomTab, voices: EvenOut };
/** What is chosen, and what else there is to say of it. */
const title = computed(() => clip.value?.clip.name ?? track.value?.name ?? "Balance");
const lengths = computed(() => {
  const c = clip.value?.clip;
  return c && `${timeText(c.start, 1)} – ${timeText(c.start + c.length, 1)}`;
});
const more = computed(() => desk.selection.clips.filter((id) => session.clip(id)).length - 1);
</script>

<template>
  <h2 class="cut" :title="title">{{ title }}</h2>
  <p v-if="clip" class="soft cut">
    {{ clip.track.name }} · <span class="figures">{{ lengths }}</span><template v-if="more > 0">
      · and {{ more }} more</template
    >
  </p>
  <TabBar v-model="desk.balanceTab.value" :tabs="tabs" label="What to balance" prefix="balance" />
  <TabPanel prefix="balance" :current="desk.balanceTab.value"
    ><component :is="views[desk.balanceTab.value]"
  /></TabPanel>
</template>

<style scoped>
h2 {
  padding-right: 22px;
  font-size: var(--type-head);
}
</style>
