<script setup lang="ts">
import { ElMessage } from "element-plus";
import { computed } from "vue";
import type { Refusal, Schema } from "../../api/client";
import { whenText } from "../../model/units";
import { useSharing } from "../../stores/sharing";
import AddressLine from "./AddressLine.vue";

/** An address at which a finished file is heard. */
const props = defineProps<{ link: Schema["Shared"] }>();
const sharing = useSharing();
const until = computed(() => {
  if (props.link.withdrawn) return "Withdrawn";
  if (!props.link.ends) return "Until you withdraw it";
  return `${props.link.ended ? "Ended" : "Until"} ${new Date(props.link.ends).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" })}`;
});

async function tell(act: () => Promise<void>): Promise<void> {
  try {
    await act();
  } catch (error) {
    ElMessage.error((error as Refusal).message);
  }
}

const comments = (on: boolean) =>
  tell(() => sharing.change(props.link.id, { comments: on, ...(props.link.ends && { ends: props.link.ends }) }));
</script>

<template>
  <li>
    <strong class="cut" :title="link.file">{{ link.file }}</strong>
    <AddressLine v-if="!link.withdrawn" :path="link.path" name="the page" page />
    <p class="soft">
      {{ until }}<template v-if="link.password"> · password</template
      ><template v-if="link.transcript"> · transcript</template> · made {{ whenText(link.made) }}
    </p>
    <div v-if="!link.withdrawn" class="acts">
      <label class="ticked">
        <input
          type="checkbox"
          :checked="link.comments"
          :disabled="link.ended"
          @change="comments(($event.target as HTMLInputElement).checked)"
        />
        Comments
      </label>
      <button class="plain-button" @click="tell(() => sharing.withdraw(link.id))">Withdraw</button>
    </div>
  </li>
</template>

<style scoped>
li {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 12.5px;
}
strong {
  display: block;
  font-size: 14px;
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
