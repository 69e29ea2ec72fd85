<script setup lang="ts">
import { ref } from 'vue';
import { useAction, useSelection, useTask } from 'floe/vue';
import { address, expected, lookedFor, planVisit, refusal, shown, visitCancelled } from './model';

const count = useSelection(expected);
const list = useSelection(shown);
const find = useSelection(lookedFor);
const refused = useSelection(refusal);
const plan = useTask(planVisit);
const cancel = useAction(visitCancelled);
const lookFor = useAction(address.queryChanged);
const vessel = ref('');

function look(event: Event) {
  lookFor({ find: (event.target as HTMLInputElement).value || undefined }, { replace: true });
}
function submit() {
  void plan(vessel.value);
  vessel.value = '';
}
</script>

<template>
  <main>
    <h1>Expected today: {{ count }}</h1>
    <form @submit.prevent="submit">
      <input v-model="vessel" required placeholder="Vessel" aria-label="Vessel" />
      <button>Plan a visit</button>
    </form>
    <p role="alert">{{ refused }}</p>
    <label>Find <input type="search" :value="find" @input="look" /></label>
    <ul>
      <li v-for="one in list" :key="one">{{ one }} <button @click="cancel(one)">Cancel</button></li>
    </ul>
  </main>
</template>
