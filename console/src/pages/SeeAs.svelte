<script lang="ts">
  import { popup } from '../lib/popup';
  import { seeAs } from '../lib/person.svelte';
  import { say } from '../lib/words';

  // For developers and admins: the report as another person gets it.
  let name = $state('');

  function see(event: SubmitEvent) {
    event.preventDefault();
    seeAs(name.trim());
  }
</script>

<details use:popup class="relative print:hidden">
  <summary class="btn-plain cursor-pointer list-none [&::-webkit-details-marker]:hidden">{say('See as…')}</summary>
  <form class="popup end-0 flex w-72 flex-col gap-2" onsubmit={see}>
    <p>{say('Shows the report as somebody else gets it, with the records and columns that are there for them.')}</p>
    <label class="flex flex-col gap-1"
      >{say('The name of the person')} <input class="input bg-field text-sm" type="text" maxlength="200" required autocomplete="off" bind:value={name} /></label
    >
    <button type="submit" class="btn self-start bg-deep px-3 py-1.5 text-on-deep">{say('See the report as they do')}</button>
  </form>
</details>
