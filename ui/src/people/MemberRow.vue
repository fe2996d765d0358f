<script setup lang="ts">
import type { Schema } from "../api/client";
import PickList from "../desk/widgets/PickList.vue";
import { whenText } from "../model/units";
import PersonCircle from "./PersonCircle.vue";
import { ROLES, roleName, type Role } from "./roles";

/** Somebody of a show. */
defineProps<{ member: Schema["Member"]; own: boolean; /** Roles can be changed here. */ changes: boolean }>();
const emit = defineEmits<{ role: [to: Role]; remove: [] }>();
const options = ROLES.map((r) => ({ value: r.key, name: r.name }));
</script>

<template>
  <li>
    <PersonCircle :letters="member.letters" :own="own" />
    <span class="who">
      <span class="cut" :title="member.name"
        ><b>{{ member.name }}</b
        >{{ own ? " (you)" : "" }}</span
      >
      <span class="soft">since {{ whenText(member.since) }}</span>
    </span>
    <PickList
      v-if="changes"
      class="role"
      :model-value="member.role"
      :label="`Role of ${member.name}`"
      :options="options"
      @update:model-value="emit('role', $event as Role)"
    />
    <span v-else>{{ roleName(member.role) }}</span>
    <button v-if="changes && !own" class="plain-button" :aria-label="`Take ${member.name} out`" @click="emit('remove')">
      Take out
    </button>
  </li>
</template>

<style scoped src="./row.css"></style>
<style scoped>
.who {
  display: grid;
}
.role {
  width: 130px;
}
</style>
