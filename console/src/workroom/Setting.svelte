<script lang="ts">
  import { say } from '../lib/words';
  import type { Setting } from './api';

  // One setting that differs, in words.
  let { change }: { change: Setting } = $props();
</script>

<code class="bg-transparent p-0 font-semibold">{change.path}</code>
{#if change.from}{say('was moved there from')} <code class="bg-transparent p-0">{change.from}</code>
{:else if change.old === undefined}{say('is new:')} <ins class="text-green no-underline">{change.new}</ins>
{:else if change.new === undefined}{say('is gone; it was')} <del class="text-brick">{change.old}</del>
{:else}{say('was')} <del class="text-brick">{change.old}</del>{say(', is')} <ins class="text-green no-underline">{change.new}</ins>{/if}
