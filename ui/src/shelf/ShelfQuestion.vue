<script setup lang="ts">
import PickList from "../desk/widgets/PickList.vue";
import { toFirstField } from "../talk/firstField";
import { ElDialog } from "element-plus";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Schema } from "../api/client";
import { tell } from "../talk/tell";

/** Asks what a new show, a new episode or a show is to be called, and makes it. */
const props = defineProps<{ show?: Schema["Show"]; reload: () => Promise<void> }>();
const router = useRouter();
const asking = ref<"show" | "episode" | "rename-show">();
const name = ref("");
const layouts = ref<Schema["Layout"][]>([]);
const layout = ref("");
const beginnings = computed(() => [
  ...layouts.value.map((l) => ({ value: l.id, name: l.title })),
  { value: "", name: "an empty session" },
]);

const questions = {
  show: { title: "New show", label: "What is the show called?", done: "Make the show" },
  episode: { title: "New episode", label: "What is the episode called?", done: "Make the episode" },
  "rename-show": { title: "Rename the show", label: "What is the show called?", done: "Rename" },
};

function question(what: "show" | "episode" | "rename-show"): void {
  name.value = what === "rename-show" ? (props.show?.name ?? "") : "";
  asking.value = what;
  if (what === "episode") offering = offerLayouts();
}

let offering: Promise<void> | undefined;

/** What a new episode can begin as: the first layout of the house sound, another one, or nothing. */
async function offerLayouts(): Promise<void> {
  layouts.value = [];
  layout.value = "";
  try {
    const path = { show: props.show!.id };
    layouts.value = (await ask(api.GET("/shows/{show}/layouts", { params: { path } }))) ?? [];
    layout.value = layouts.value[0]?.id ?? "";
  } catch (error) {
    tell(error);
  }
}

async function answer(): Promise<void> {
  const what = asking.value;
  if (!what || !name.value.trim()) return;
  asking.value = undefined;
  try {
    if (what === "show") {
      const made = await ask(api.POST("/shows", { body: { name: name.value } }));
      await props.reload();
      await router.push(`/shows/${made.id}`);
    } else if (what === "episode") {
      await offering;
      const path = { show: props.show!.id };
      const made = await ask(
        api.POST("/shows/{show}/episodes", {
          params: { path },
          body: { title: name.value, layout: layout.value || undefined },
        }),
      );
      await router.push(`/episodes/${made.id}`);
    } else {
      await ask(api.PATCH("/shows/{show}", { params: { path: { show: props.show!.id } }, body: { name: name.value } }));
      await props.reload();
    }
  } catch (error) {
    asking.value = what;
    tell(error);
  }
}

defineExpose({ question });
</script>

<template>
  <el-dialog
    :model-value="asking !== undefined"
    :title="asking && questions[asking].title"
    width="420"
    @opened="toFirstField"
    @close="asking = undefined"
  >
    <form @submit.prevent="answer">
      <label for="new-name">{{ asking && questions[asking].label }}</label>
      <input id="new-name" v-model="name" class="text-field" maxlength="200" autocomplete="off" />
      <template v-if="asking === 'episode' && layouts.length > 0">
        <label for="new-layout" class="second">It begins as</label>
        <PickList id="new-layout" v-model="layout" label="It begins as" :options="beginnings" />
      </template>
      <div class="answers">
        <button type="button" class="plain-button" @click="asking = undefined">Cancel</button>
        <button type="submit" class="plain-button filled" :disabled="!name.trim()">
          {{ asking && questions[asking].done }}
        </button>
      </div>
    </form>
  </el-dialog>
</template>

<style scoped>
.second {
  margin-top: 12px;
}
.answers {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 18px;
}
label {
  display: block;
  margin-bottom: 6px;
}
</style>
