<script lang="ts">
  import { useSelection, useTask } from 'floe/svelte';
  import { tick } from 'svelte';
  import { isAsked, move, type Job } from './model';

  const { job, line, lines }: { job: Job; line: number; lines: number } = $props();
  const asked = useSelection((read) => read(isAsked(job.id)));
  const ask = useTask(move);
  let handle = $state<HTMLElement>();

  function moved(event: KeyboardEvent) {
    const to = line + ({ ArrowUp: -1, ArrowDown: 1 }[event.key] ?? 0);
    if (to === line) return;
    event.preventDefault();
    if (to < 0 || to >= lines) return;
    void ask({ id: job.id, to });
    // A browser takes the focus from what is moved.
    void tick().then(() => handle?.focus());
  }
</script>

<span class="line">{line + 1}</span>
<button bind:this={handle} class="handle" aria-label={`Move ${job.vessel}, line ${line + 1} of ${lines}`} onkeydown={moved}>
  <svg viewBox="0 0 10 16" aria-hidden="true">
    {#each [3, 8, 13] as y (y)}<circle cx="2.5" cy={y} r="1.4" /><circle cx="7.5" cy={y} r="1.4" />{/each}
  </svg>
</button>
<strong>{job.vessel}</strong>
<span class="way">{job.from} → {job.to}</span>
<span class="tide">{job.place === undefined ? '' : `among the first ${job.place}`}</span>
<span class="asked" class:shown={asked.current}>asked</span>
