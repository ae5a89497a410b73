<script lang="ts">
  import { messageOf } from '../lib/api';
  import { signIn } from '../lib/people';
  import { currentUrl, rewrite } from '../lib/route.svelte';
  import { say } from '../lib/words';
  import Notice from '../parts/Notice.svelte';

  // What one sees who has to sign in first; done is called once one has. provider is the host that one may sign in at, too.
  let { done, provider }: { done: () => void; provider: string } = $props();

  let name = $state('');
  let password = $state('');
  let failed = $state(whyNotIn());
  let trying = $state(false);

  /** Why the provider's sign-in let nobody in, as the service says it behind the page that was wanted. */
  function whyNotIn(): string {
    const url = currentUrl();
    const why = url.searchParams.get('sign-in');
    if (why === null) return '';
    const words: Record<string, string> = {
      provider: say('The provider does not answer as it should. Try again later.'),
      busy: say('Too many sign-ins from here were refused. Wait a minute.'),
      unknown: say('You are not known here by the name that the provider says. An admin lets you in by that name.'),
      gone: say('You may not sign in here any more.'),
      other: say('Here the one of your name is somebody else at the provider. An admin can mend that.'),
      password: say('Here the one of your name signs in by a password. An admin can mend that.'),
    };
    return words[why] ?? say('That sign-in did not hold. Try it again from here.');
  }

  /** The page that is wanted, without why one was not let in. */
  function wanted(): string {
    const url = new URL(currentUrl());
    url.searchParams.delete('sign-in');
    return url.pathname + url.search;
  }

  async function submit(event: SubmitEvent) {
    event.preventDefault();
    trying = true;
    failed = '';
    try {
      await signIn(name, password);
      rewrite(wanted());
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
  {#if provider}
    <p class="border-t border-line pt-3.5">
      <a class="btn-plain" href="/api/v1/session/openid?to={encodeURIComponent(wanted())}">{say('Sign in at {0}', provider)}</a>
    </p>
  {/if}
</form>
