<script setup lang="ts">
import type { Schema } from "../api/client";
import { whenText } from "../model/units";
import { roleName } from "./roles";

/** An invitation that nobody has taken yet. */
defineProps<{ invited: Schema["Invited"] }>();
const emit = defineEmits<{ back: [] }>();
</script>

<template>
  <li>
    <span class="who cut" :title="invited.note">{{ invited.note || "Somebody" }}</span>
    <span>{{ roleName(invited.role) }}</span>
    <span class="soft">until {{ whenText(invited.ends) }}</span>
    <button
      class="plain-button"
      :aria-label="`Take back the invitation for ${invited.note || 'somebody'}`"
      @click="emit('back')"
    >
      Take back
    </button>
  </li>
</template>

<style scoped src="./row.css"></style>
