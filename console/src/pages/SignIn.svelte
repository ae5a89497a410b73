<script lang="ts">
  import { messageOf } from '../lib/api';
  import { signIn } from '../lib/people';
  import { say } from '../lib/words';
  import Notice from '../parts/Notice.svelte';

  // What one sees who has to sign in first; done is called once one has.
  let { done }: { done: () => void } = $props();

  let name = $state('');
  let password = $state('');
  let failed = $state('');
  let trying = $state(false);

  async function submit(event: SubmitEvent) {
    event.preventDefault();
    trying = true;
    failed = '';
    try {
      await signIn(name, password);
      done();
    } catch (cause) {
      failed = messageOf(cause);
      password = '';
    } finally {
      trying = false;
    }
  }
</script>

<svelte:head><title>{say('Sign in · Pike Gate')}</title></svelte:head>

<form class="mx-auto mt-12 flex max-w-[340px] flex-col gap-3.5 rounded-container border border-line bg-card p-6 max-[420px]:mx-3" onsubmit={submit}>
  <h1 class="text-[25px]/[1.15] font-[680]">{say('Sign in')}</h1>
  {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
  <label class="flex flex-col gap-1 text-sm"
    >{say('Name')} <input class="input bg-field" type="text" autocomplete="username" required bind:value={name} /></label
  >
  <label class="flex flex-col gap-1 text-sm"
    >{say('Password')} <input class="input bg-field" type="password" autocomplete="current-password" required bind:value={password} /></label
  >
  <button class="btn self-start bg-deep px-4.5 py-2.5 font-[640] text-on-deep" type="submit" disabled={trying}>{say('Sign in')}</button>
</form>
