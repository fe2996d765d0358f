<script setup lang="ts">
import { ElDialog } from "element-plus";
import { toFirstField } from "../talk/firstField";
import { useMe } from "./me";
import SignInForm from "./SignInForm.vue";

/** Over whatever is on the page: a session has ended, and nothing of what is there is lost by that. */
const me = useMe();

/** Somebody else than before finds nothing of theirs here. */
const was = me.person?.id;
function back(): void {
  if (me.person?.id !== was) location.reload();
}
</script>

<template>
  <el-dialog
    :model-value="me.lost"
    title="Sign in again"
    width="420"
    :show-close="false"
    :close-on-click-modal="false"
    :close-on-press-escape="false"
    @opened="toFirstField"
  >
    <p class="why">
      You have been signed out, here or elsewhere. What you have done waits, and is kept when you are back.
    </p>
    <SignInForm @in="back" />
  </el-dialog>
</template>

<style scoped>
.why {
  margin-bottom: 12px;
}
</style>
