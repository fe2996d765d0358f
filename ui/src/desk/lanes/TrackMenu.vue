<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { MoreHorizontal } from "lucide-vue-next";
import type { Part, Schema } from "../../api/client";
import { useSession } from "../../stores/session";
import { useActs } from "../acts/acts";
import { useDeskContext } from "../state/context";

/** What can be done with a track, or with all that are chosen if it is one of them: those that are meant. */
const props = defineProps<{ track: Schema["Track"]; index: number; folded: boolean; meant: () => string[] }>();
const emit = defineEmits<{ rename: [] }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);

function command(what: string): void {
  if (what === "rename") emit("rename");
  else if (what === "up") acts.moveTracks(-1);
  else if (what === "down") acts.moveTracks(1);
  else if (what === "together") acts.group(props.meant(), false);
  else if (what === "apart") acts.group([props.track.id], true);
  else if (what === "duplicate") acts.duplicateTracks();
  else if (what === "fold") desk.heights.set(props.meant(), props.folded ? "own" : "folded");
  else if (what === "remove") void session.edit({ type: "remove-tracks", tracks: props.meant() });
  else {
    const part = what as Part;
    void session.edit({ type: "set-tracks", tracks: props.meant().map((track) => ({ track, part })) });
  }
}
</script>

<template>
  <el-dropdown trigger="click" @command="command">
    <button class="more" :aria-label="`More for ${track.name}`"><MoreHorizontal :size="15" /></button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="rename">Rename</el-dropdown-item>
        <el-dropdown-item command="up" :disabled="index === 0">Move up</el-dropdown-item>
        <el-dropdown-item command="down" :disabled="index + 1 === session.document?.tracks.length">
          Move down
        </el-dropdown-item>
        <el-dropdown-item command="fold">{{ folded ? "Unfold" : "Fold small" }}</el-dropdown-item>
        <el-dropdown-item v-if="track.group" command="apart">Move its fader alone</el-dropdown-item>
        <el-dropdown-item v-else command="together" :disabled="meant().length < 2">
          Move the chosen faders together
        </el-dropdown-item>
        <el-dropdown-item command="duplicate">Duplicate</el-dropdown-item>
        <el-dropdown-item command="voice" divided :disabled="track.part === 'voice'">Use for voice</el-dropdown-item>
        <el-dropdown-item command="music" :disabled="track.part === 'music'">Use for music</el-dropdown-item>
        <el-dropdown-item command="effect" :disabled="track.part === 'effect'">Use for effects</el-dropdown-item>
        <el-dropdown-item command="remove" divided>Remove the track</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>

<style scoped>
.more {
  display: grid;
  place-items: center;
  min-width: 24px;
  min-height: 24px;
  padding: 2px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
</style>
