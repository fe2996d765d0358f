<script setup lang="ts">
import { Copy, ExternalLink } from "lucide-vue-next";
import { computed } from "vue";
import { useMe } from "../../people/me";
import { tell } from "../../talk/tell";

/** An address on this server, to be copied and, if it is a page, opened. */
const props = defineProps<{ path: string; name: string; page?: boolean }>();
const me = useMe();
/** Pages for listeners may have an address of their own. */
const address = computed(() => (me.me?.pages || location.origin) + props.path);

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(address.value);
    tell("The address is copied.", "success");
  } catch {
    tell("The browser does not let it be copied. Choose the address and copy it by hand.");
  }
}
</script>

<template>
  <div class="line">
    <input
      class="text-field address figures"
      readonly
      :value="address"
      :aria-label="`Address of ${name}`"
      @focus="($event.target as HTMLInputElement).select()"
    />
    <button class="icon" title="Copy the address" :aria-label="`Copy the address of ${name}`" @click="copy">
      <Copy :size="15" />
    </button>
    <a v-if="page" class="icon" :href="address" target="_blank" title="Open it" :aria-label="`Open ${name}`">
      <ExternalLink :size="15" />
    </a>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-top: 4px;
}
.address {
  flex: 1;
  min-width: 0;
  background: var(--paper);
  font-size: var(--type-small);
}
.icon {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
</style>
