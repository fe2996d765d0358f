<script setup lang="ts">
import { computed, ref } from "vue";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import { handLevel, lineOf, placesOf } from "../../document/lines";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import ValueField from "../../desk/widgets/ValueField.vue";
import { keyNames } from "../../model/machine";
import { levelText, parseLevel, parseTime, percentText, SILENCE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";

/** The points of a level line in numbers, and what can be done with the whole of it. */
const props = defineProps<{ id: string }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);

const line = computed(() => lineOf(session.document, props.id));
const times = computed(() => (desk.selection.line === props.id ? desk.selection.points : []));
/** Where the one chosen point will be, step by step, while edits that were typed are on their way: its fields stay meanwhile. */
const going = ref<{ was: number; to: number[] }>();
const steps = computed(() =>
  going.value && times.value.length === 1 && times.value[0] === going.value.was ? going.value.to : [],
);
const chosen = computed(
  () => line.value?.points.filter((p) => times.value.includes(p.at) || steps.value.includes(p.at)) ?? [],
);
const point = computed(() => (chosen.value.length === 1 ? chosen.value[0] : undefined));
const isLast = computed(() => point.value?.at === line.value?.points[line.value.points.length - 1]?.at);

async function setPoint(change: { time?: number; level?: number }): Promise<void> {
  const from = steps.value.at(-1) ?? point.value!.at;
  const at = change.time === undefined ? from : Math.max(0, change.time - line.value!.zero);
  const mine = steps.value.length > 0 ? going.value! : { was: times.value[0]!, to: [] };
  mine.to.push(at);
  going.value = mine;
  let place: number | undefined;
  await session.edit((document) => {
    const l = lineOf(document, props.id);
    const p = l?.points.find((p) => p.at === from);
    if (!l || !p) return undefined;
    [place] = placesOf(l, [p.at]);
    return { type: "move-points", moves: [{ ...l.named, from, at, level: change.level ?? p.level }] };
  });
  const moved = place === undefined ? undefined : lineOf(session.document, props.id)?.points[place];
  if (steps.value.at(-1) !== at || going.value?.was !== mine.was) return; // more is on its way, or another point is chosen
  if (moved) desk.selection.points = [moved.at];
  going.value = undefined;
}

/** Moves the chosen points up or down, or makes their distances from the highest of them larger or smaller. */
function setLevels(to: (level: number, top: number) => number): void {
  const l = line.value!;
  const top = Math.max(...chosen.value.map((p) => p.level));
  const moves = chosen.value.map((p) => ({
    ...l.named,
    from: p.at,
    at: p.at,
    level: p.level <= SILENCE ? SILENCE : handLevel(to(p.level, top)),
  }));
  void session.edit({ type: "move-points", moves });
}

function bend(value: number, gesture?: string): void {
  const l = line.value!;
  const bends = chosen.value.map((p) => ({ ...l.named, at: p.at, bend: value / 100 }));
  void session.edit({ type: "bend-lines", bends }, gesture);
}

function bendText(value: number): string {
  const part = Math.round(Math.abs(value) * 100);
  return part === 0 ? "straight" : `${part} % ${value > 0 ? "late" : "early"}`;
}

function parsePart(text: string): number | undefined {
  const match = /^\s*([+-−]?\d+(?:[.,]\d+)?)\s*%?\s*$/.exec(text);
  return match ? Number(match[1]!.replace("−", "-").replace(",", ".")) : undefined;
}
</script>

<template>
  <template v-if="line">
    <h3>
      {{ session.clip(id) ? "Level line" : `Level line of ${line.owner}` }}
      <small class="soft">{{ line.points.length }} {{ line.points.length === 1 ? "point" : "points" }}</small>
    </h3>
    <div v-if="point" class="values">
      <span>Point</span>
      <ValueField
        :value="line.zero + point.at"
        :text="timeText(line.zero + point.at)"
        :parse="parseTime"
        label="Time of the point"
        @change="(time: number) => setPoint({ time })"
      />
      <ValueField
        :value="point.level"
        :text="levelText(point.level, true)"
        :parse="parseLevel"
        label="Level of the point"
        @change="(level: number) => setPoint({ level })"
      />
      <span class="soft figures">{{ point.level <= SILENCE ? "0 %" : percentText(point.level) }}</span>
    </div>
    <div v-else-if="chosen.length > 1" class="values">
      <span>{{ chosen.length }} points</span>
      <ValueField
        :value="0"
        text="±0.0 dB"
        :parse="parseLevel"
        label="Move the points up or down by"
        @change="(by: number) => setLevels((level) => level + by)"
      />
      <ValueField
        :value="100"
        text="× 100 %"
        :parse="parsePart"
        label="Scale the distances of the points from the highest"
        @change="(part: number) => setLevels((level, top) => top + ((level - top) * part) / 100)"
      />
      <span></span>
    </div>
    <p v-else class="soft hint">
      {{
        line.points.length === 0
          ? `Click the line to add points, then drag them. With ${keyNames("Ctrl")} held, a drag draws a ramp.`
          : "Choose points on the line to type their values."
      }}
    </p>
    <SliderRow
      v-if="chosen.length > 0 && !isLast"
      label="Bend"
      :value="Math.round((chosen[0]!.bend ?? 0) * 100)"
      :text="bendText(chosen[0]!.bend ?? 0)"
      :parse="parsePart"
      :min="-100"
      :max="100"
      :step="5"
      :normal="0"
      @change="bend"
    />
    <div v-if="line.points.length > 0" class="whole">
      <button
        class="plain-button"
        title="The whole line 1 dB up"
        aria-label="Up: the whole line by 1 dB"
        @click="acts.shiftLine(id, 1)"
      >
        Up
      </button>
      <button
        class="plain-button"
        title="The whole line 1 dB down"
        aria-label="Down: the whole line by 1 dB"
        @click="acts.shiftLine(id, -1)"
      >
        Down
      </button>
      <ValueField
        :value="0"
        text="±0.0 dB"
        :parse="parseLevel"
        label="Move the whole line by"
        @change="(by: number) => acts.shiftLine(id, by)"
      />
      <button class="plain-button" @click="acts.choosePoints(id)">All points</button>
      <button class="plain-button" aria-label="Clear the level line" @click="acts.clearLine(id)">Clear</button>
    </div>
  </template>
</template>

<style scoped>
h3 {
  margin-bottom: 4px;
  font-size: var(--type-body);
}
h3 small {
  font-weight: 400;
}
.values {
  display: grid;
  grid-template-columns: 66px 76px 80px 1fr;
  gap: 4px;
  align-items: center;
  font-size: var(--type-text);
}
.values .soft {
  font-size: var(--type-small);
  text-align: right;
}
.whole {
  display: grid;
  grid-template-columns: auto auto minmax(52px, 1fr) auto auto;
  gap: 4px;
  margin-top: 4px;
}
.whole button {
  padding: 2px 7px;
  font-size: var(--type-hint);
}
.hint {
  font-size: var(--type-hint);
}
</style>
