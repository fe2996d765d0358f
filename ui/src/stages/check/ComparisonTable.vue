<script setup lang="ts">
import type { Schema } from "../../api/client";
import { figure, SILENCE, timeText } from "../../model/units";

/** Two versions of a mix in figures, and what differs in words. */
defineProps<{ compared: Schema["Compared"] }>();

const lufs = (m: Schema["OneMix"]) =>
  m.loudness <= SILENCE ? "–" : `${m.measured ? "" : "≈ "}${figure(m.loudness)} LUFS`;
const lu = (v: number | undefined) => (v === undefined ? "–" : `${figure(v)} LU`);
</script>

<template>
  <table>
    <thead>
      <tr>
        <th></th>
        <th scope="col">Now</th>
        <th scope="col">Before</th>
      </tr>
    </thead>
    <tbody class="figures">
      <tr>
        <th scope="row">Loudness</th>
        <td>{{ lufs(compared.now) }}</td>
        <td>{{ lufs(compared.then) }}</td>
      </tr>
      <tr>
        <th scope="row">True peak</th>
        <td>{{ compared.now.truePeak === undefined ? "–" : `${figure(compared.now.truePeak)} dBTP` }}</td>
        <td>{{ compared.then.truePeak === undefined ? "–" : `${figure(compared.then.truePeak)} dBTP` }}</td>
      </tr>
      <tr>
        <th scope="row">Voice lead</th>
        <td>{{ lu(compared.now.typical) }}</td>
        <td>{{ lu(compared.then.typical) }}</td>
      </tr>
      <tr>
        <th scope="row">Lowest</th>
        <td>{{ lu(compared.now.lowest) }}</td>
        <td>{{ lu(compared.then.lowest) }}</td>
      </tr>
      <tr>
        <th scope="row">Length</th>
        <td>{{ timeText(compared.now.length, 1) }}</td>
        <td>{{ timeText(compared.then.length, 1) }}</td>
      </tr>
      <tr>
        <th scope="row">Made softer by</th>
        <td>{{ figure(-compared.now.gain) }} dB</td>
        <td>{{ figure(-compared.then.gain) }} dB</td>
      </tr>
    </tbody>
  </table>
  <ul v-if="compared.differs.length > 0" class="differs">
    <li v-for="d in compared.differs" :key="d">{{ d }}</li>
  </ul>
  <p v-else class="soft">In loudness, voice lead and length both are alike.</p>
</template>

<style scoped>
p,
li {
  font-size: var(--type-hint);
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: var(--type-small);
}
th,
td {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  font-weight: 400;
  text-align: right;
}
tbody th {
  text-align: left;
  font-family: var(--text);
}
.differs {
  padding-left: 18px;
}
</style>
