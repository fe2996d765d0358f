<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { whenText } from "../../model/units";
import { useSharing } from "../../stores/sharing";
import AddressLine from "./AddressLine.vue";
import Tick from "../../talk/Tick.vue";
import { useActing } from "../../talk/acting";

/** An address at which a finished file is heard. */
const props = defineProps<{ link: Schema["Shared"] }>();
const sharing = useSharing();
const until = computed(() => {
  if (props.link.withdrawn) return "Ended";
  if (!props.link.ends) return "Until you end it";
  return `${props.link.ended ? "Ended" : "Until"} ${new Date(props.link.ends).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" })}`;
});

const { act } = useActing();

const comments = (on: boolean) => act(() => sharing.change(props.link.id, { comments: on }));
</script>

<template>
  <li :data-link="link.id">
    <strong class="cut" :title="link.file">{{ link.file }}</strong>
    <AddressLine v-if="!link.withdrawn" :path="link.path" name="the page" page />
    <p class="soft">
      {{ until }}<template v-if="link.password"> · password</template
      ><template v-if="link.transcript"> · transcript</template> · made {{ whenText(link.made) }}
    </p>
    <div v-if="!link.withdrawn" class="acts">
      <label class="ticked">
        <Tick :on="link.comments" :disabled="link.ended" :set="comments" />
        Comments
      </label>
      <button class="plain-button" @click="act(() => sharing.withdraw(link.id))">End the link</button>
    </div>
  </li>
</template>

<style scoped>
li {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-hint);
}
strong {
  display: block;
  font-size: var(--type-body);
}
.acts {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-top: 4px;
}
.acts .plain-button {
  padding: 3px 9px;
}
</style>
