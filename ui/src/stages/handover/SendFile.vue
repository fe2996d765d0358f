<script setup lang="ts">
import PickList from "../../desk/widgets/PickList.vue";
import { computed, onMounted, ref } from "vue";
import type { Schema } from "../../api/client";
import { whenText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useSendings } from "../../stores/sendings";
import { useActing } from "../../talk/acting";
import { tell } from "../../talk/tell";

/** Sends a finished file to a folder or a host outside, and says what has become of it. */
const props = defineProps<{ file: Schema["Mixdown"]; asking: boolean }>();
const emit = defineEmits<{ asked: [] }>();
const sendings = useSendings();
const jobs = useJobs();
const host = ref("");
const { act } = useActing();
const way = ref("");

const chosen = computed(() => sendings.hosts.find((h) => h.key === host.value) ?? sendings.hosts[0]);
/** What comes first is taken where nothing else is chosen. */
const hosts = computed(() => sendings.hosts.map((h, i) => ({ value: i === 0 ? "" : h.key, name: h.name })));
const ways = computed(() => (chosen.value?.ways ?? []).map((w, i) => ({ value: i === 0 ? "" : w.key, name: w.name })));
const mine = computed(() => sendings.list.filter((s) => s.mixdown === props.file.id).slice(0, 5));
onMounted(() => sendings.findHosts().catch(tell));

async function send(to: string, by: string | undefined): Promise<void> {
  if (await act(() => sendings.send(props.file.id, to, by || undefined))) emit("asked");
}

const going = (s: Schema["Sent"]) => s.state === "waiting" || s.state === "sending";

/** What has become of a sending, in words. */
function words(s: Schema["Sent"]): string {
  const tries = s.tries === 1 ? "once" : `${s.tries} times`;
  switch (s.state) {
    case "sent":
      return `Sent to ${s.host.toLowerCase()}. ${s.said ?? ""}`;
    case "refused":
      return s.said ?? "It was refused.";
    case "failed":
      return s.said ?? "It could not be sent.";
    case "cancelled":
      return `Stopped before it was sent to ${s.host.toLowerCase()}.`;
    case "sending":
      return `On its way to ${s.host.toLowerCase()}: ${Math.round(100 * (jobs.byID[s.id]?.progress ?? 0))} %`;
    default:
      return s.tries === 0
        ? `It waits to be sent to ${s.host.toLowerCase()}.`
        : `Tried ${tries}, and tried again ${s.again ? whenText(s.again) : "soon"}: ${s.said}.`;
  }
}
</script>

<template>
  <form v-if="asking" class="ask" @submit.prevent="chosen && send(chosen.key, chosen.ways.length ? way : undefined)">
    <label>
      <span>Send it to</span>
      <PickList v-model="host" label="Where to send it" :options="hosts" />
    </label>
    <label v-if="chosen?.ways.length">
      <span>which</span>
      <PickList v-model="way" label="How it takes it" :options="ways" />
    </label>
    <p v-if="chosen?.key === 'practice'" class="soft">
      It stands for a host outside, to try sending with: nothing leaves this machine.
    </p>
    <button class="plain-button filled" type="submit">Send</button>
  </form>
  <ul v-if="mine.length > 0" class="plain-list sendings" :aria-label="`Where ${file.file} was sent`" aria-live="polite">
    <li v-for="s in mine" :key="s.id" :class="s.state">
      <span
        >{{ words(s) }} <span v-if="s.ended" class="soft">{{ whenText(s.ended) }}</span></span
      >
      <button v-if="going(s)" class="link" @click="jobs.cancel(s.id)">Stop</button>
      <button v-else-if="s.state !== 'sent'" class="link" @click="send(s.key, s.way)">Send again</button>
    </li>
  </ul>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 6px;
  margin: 6px 0;
  padding: 8px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
}
label {
  display: grid;
  grid-template-columns: 74px 1fr;
  align-items: center;
}
p {
  margin: 0;
}
.sendings li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 4px 0 4px 8px;
  border-left: 3px solid var(--rule-strong);
  overflow-wrap: anywhere;
}
.sendings li.sent {
  border-left-color: var(--voice);
}
.sendings li.refused,
.sendings li.failed {
  border-left-color: var(--alarm);
}
.link {
  flex: none;
  align-self: start;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}
</style>
