<script lang="ts">
  import { provideRuntime, useAction, useSelection, useTask } from 'floe/svelte';
  import { flip } from 'svelte/animate';
  import Row from './Row.svelte';
  import { lastMove, move, noticeDismissed, queue } from './model';
  import { runtime } from './runtime';

  provideRuntime(runtime);
  const all = useSelection(queue);
  const last = useSelection(lastMove);
  const ask = useTask(move);
  const dismiss = useAction(noticeDismissed);

  /** The job that is dragged, and the line over which it is. */
  let dragged = $state<string>();
  let over = $state<number>();

  const undo = () => last.current && void ask({ id: last.current.id, to: last.current.from }, true);
  function drop() {
    if (dragged !== undefined && over !== undefined) void ask({ id: dragged, to: over });
    dragged = over = undefined;
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if ((event.ctrlKey || event.metaKey) && event.key === 'z') {
      event.preventDefault();
      undo();
    }
  }}
/>

<main>
  <header>
    <h1>Pilots’ queue</h1>
    <button disabled={!last.current} onclick={undo}>Undo</button>
  </header>
  <p class="hint">Drag a vessel, or choose its handle and press ↑ or ↓. The office answers a second later.</p>
  <div role="alert">
    {#if all.current.notice}
      <p class="notice">{all.current.notice} <button onclick={() => dismiss()}>Dismiss</button></p>
    {/if}
  </div>
  <ol>
    {#each all.current.jobs as job, line (job.id)}
      <li
        animate:flip={{ duration: matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 180 }}
        draggable="true"
        class:dragged={dragged === job.id}
        class:over={over === line && dragged !== job.id}
        ondragstart={() => (dragged = job.id)}
        ondragover={(event) => {
          event.preventDefault();
          over = line;
        }}
        ondrop={drop}
        ondragend={() => (dragged = over = undefined)}
      >
        <Row {job} {line} lines={all.current.jobs.length} />
      </li>
    {/each}
  </ol>
</main>
