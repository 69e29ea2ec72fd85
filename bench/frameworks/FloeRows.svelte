<script>
  import { provideRuntime } from 'floe/svelte';
  import FloeRow from './FloeRow.svelte';
  const { n, selectionOf, runtime } = $props();
  provideRuntime(runtime);
</script>
{#each { length: n } as _, index (index)}<FloeRow {index} {selectionOf} />{/each}
