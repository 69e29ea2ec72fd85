<script lang="ts">
  import { provideRuntime } from 'floe/svelte';
  import Board from './Board.svelte';
  import { runtime } from './runtime';

  provideRuntime(runtime);
</script>

<Board />
