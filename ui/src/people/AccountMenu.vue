<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { useRouter } from "vue-router";
import { tell } from "../talk/tell";
import { useMe } from "./me";
import PersonCircle from "./PersonCircle.vue";

/** Oneself, with what one can do about that; nothing where there is one person. */
const me = useMe();
const router = useRouter();

function choose(act: "me" | "out"): void {
  if (act === "me") void router.push("/me");
  else void me.signOut(false).then(() => router.push("/sign-in"), tell);
}
</script>

<template>
  <el-dropdown v-if="me.person" trigger="click" @command="choose">
    <button
      class="account"
      :aria-label="`${me.person.letters}, ${me.person.name}: your account`"
      :title="me.person.name"
    >
      <PersonCircle :letters="me.person.letters" own />
    </button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="me">Your account</el-dropdown-item>
        <el-dropdown-item command="out">Sign out</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>

<style scoped>
.account {
  display: grid;
  padding: 2px;
  border: 0;
  background: none;
  cursor: pointer;
}
</style>
