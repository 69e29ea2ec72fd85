<script lang="ts">
  import { useAction, useSelection } from 'floe/svelte';
  import { expected, visitCancelled, visitPlanned, visits } from './model/index.js';

  const all = useSelection(visits);
  const count = useSelection(expected);
  const plan = useAction(visitPlanned);
  const cancel = useAction(visitCancelled);
  let vessel = $state('');

  function submit(event: SubmitEvent) {
    event.preventDefault();
    plan(vessel);
    vessel = '';
  }
</script>

<main>
  <h1>Expected today: {count.current}</h1>
  <form onsubmit={submit}>
    <input bind:value={vessel} required placeholder="Vessel" aria-label="Vessel" />
    <button>Plan a visit</button>
  </form>
  <ul>
    {#each all.current.list as one (one)}
      <li>{one} <button onclick={() => cancel(one)}>Cancel</button></li>
    {/each}
  </ul>
</main>
