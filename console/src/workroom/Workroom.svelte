<script lang="ts">
  import { currentUrl, decodedPart } from '../lib/route.svelte';
  import Changes from './Changes.svelte';
  import DataPage from './DataPage.svelte';
  import EditorPage from './EditorPage.svelte';
  import Home from './Home.svelte';
  import Start from './Start.svelte';

  // The developers' part of the console.
  const parts = $derived(currentUrl().pathname.split('/').slice(2).map(decodedPart));
  const query = $derived(currentUrl().searchParams);
</script>

{#if parts[0] === 'changes'}
  <Changes />
{:else if parts[0] === 'data'}
  <DataPage source={parts[1] ?? ''} table={parts[2] ?? ''} />
{:else if parts[0] === 'start'}
  <Start dataset={query.get('dataset') ?? ''} />
{:else if parts[0] && parts[1]}
  {#key `${parts[0]}/${parts[1]}`}<EditorPage kind={parts[0]} name={parts[1]} />{/key}
{:else}
  <Home find={query.get('find') ?? ''} />
{/if}
