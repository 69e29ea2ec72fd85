<script setup lang="ts">
import { ref } from 'vue';
import { useAction, useSelection } from 'floe/vue';
import { expected, visitCancelled, visitPlanned, visits } from './model/index.js';

const list = useSelection((read) => read(visits).list);
const count = useSelection(expected);
const plan = useAction(visitPlanned);
const cancel = useAction(visitCancelled);
const vessel = ref('');

function submit() {
  plan(vessel.value);
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
    <ul>
      <li v-for="one in list" :key="one">{{ one }} <button @click="cancel(one)">Cancel</button></li>
    </ul>
  </main>
</template>
