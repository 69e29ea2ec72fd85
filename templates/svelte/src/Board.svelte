<script lang="ts">
  import { useAction, useSelection, useTask } from 'floe/svelte';
  import { address, expected, lookedFor, planVisit, refusal, shown, visitCancelled } from './model';

  const count = useSelection(expected);
  const list = useSelection(shown);
  const find = useSelection(lookedFor);
  const refused = useSelection(refusal);
  const plan = useTask(planVisit);
  const cancel = useAction(visitCancelled);
  const lookFor = useAction(address.queryChanged);
  let vessel = $state('');

  function submit(event: SubmitEvent) {
    event.preventDefault();
    void plan(vessel);
    vessel = '';
  }
</script>

<main>
  <h1>Expected today: {count.current}</h1>
  <form onsubmit={submit}>
    <input bind:value={vessel} required placeholder="Vessel" aria-label="Vessel" />
    <button>Plan a visit</button>
  </form>
  <p role="alert">{refused.current}</p>
  <label>
    Find <input type="search" value={find.current} oninput={(event) => lookFor({ find: event.currentTarget.value || undefined }, { replace: true })} />
  </label>
  <ul>
    {#each list.current as one (one)}
      <li>{one} <button onclick={() => cancel(one)}>Cancel</button></li>
    {/each}
  </ul>
</main>
