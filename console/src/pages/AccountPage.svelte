<script lang="ts">
  import { Doing } from '../lib/doing.svelte';
  import { momentText, spelledDay } from '../lib/format';
  import { changePassword, endPass, makeToken, showAccount, signOut, type Account, type Pass } from '../lib/people';
  import { say } from '../lib/words';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

  // One's own account: signing out, the password, sessions, and tokens for scripts. left is called when one has to sign in again.
  let { left }: { left: () => void } = $props();

  let account = $state.raw<Account>();
  let token = $state('');
  let name = $state('');
  let days = $state(90);
  let before = $state('');
  let password = $state('');

  const cell = 'border-b border-line px-2.5 py-1.5';

  const doing = new Doing(
    async () => {
      account = await showAccount();
    },
    () => left(),
  );
  void doing.do(() => Promise.resolve(''));

  const leave = (everywhere: boolean) =>
    doing.do(async () => {
      await signOut(everywhere);
      return undefined;
    });

  const end = (pass: Pass) =>
    doing.do(async () => {
      await endPass(pass.id);
      return pass.own ? undefined : say('“{0}” has ended.', pass.name);
    });

  function make(event: SubmitEvent) {
    event.preventDefault();
    void doing.do(async () => {
      token = (await makeToken(name, account!.role, days)).token;
      name = '';
      return say('The token is made. Copy it now: it is not told again.');
    });
  }

  function renew(event: SubmitEvent) {
    event.preventDefault();
    void doing.do(async () => {
      await changePassword(before, password);
      return undefined; // all sessions have ended, this one too
    });
  }
</script>

<svelte:head><title>{say('Account · Pike Gate')}</title></svelte:head>

<div class="mx-auto flex max-w-[980px] flex-col gap-6 p-6">
  <PageHead title={account?.person ?? say('Account')}>
    {#snippet about()}{account?.role ?? ''}{/snippet}
    {#snippet tools()}
      <button type="button" class="btn-plain" onclick={() => void leave(false)}>{say('Sign out')}</button>
      <button type="button" class="btn-plain" onclick={() => void leave(true)}>{say('Sign out everywhere')}</button>
    {/snippet}
  </PageHead>
  {#if doing.failed}<Notice kind="failed">{doing.failed}</Notice>{/if}
  <p class="text-sm text-quiet" role="status">{doing.said}</p>
  {#if token}<p><code class="bg-tint px-2 py-1 wrap-anywhere">{token}</code></p>{/if}
  {#if account}
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('Sessions and tokens')}</h2>
      <div class="overflow-x-auto">
        <DataTable
          caption={say('Sessions and tokens')}
          heads={[{ text: say('What') }, { text: say('Made') }, { text: say('Used') }, { text: say('Ends') }, { text: say('May') }, { text: say('Change') }]}
        >
          {#snippet rows()}
            {#each account?.passes ?? [] as pass (pass.id)}
              <tr>
                <td class="{cell} wrap-anywhere">
                  {pass.kind === 'session' ? say('Session') : say('Token')}
                  {pass.name}{#if pass.own}<b class="font-[640]">{' '}{say('this one')}</b>{/if}
                </td>
                <td class={cell}>{momentText(pass.made_at)}</td>
                <td class={cell}>{pass.used_at ? momentText(pass.used_at) : say('never')}</td>
                <td class={cell}>{spelledDay(pass.ends_at)}</td>
                <td class={cell}>{pass.role}</td>
                <td class={cell}
                  ><button
                    type="button"
                    class="btn-plain"
                    aria-label={say('End {0} of {1}', pass.name, momentText(pass.made_at))}
                    onclick={() => void end(pass)}>{say('End')}</button
                  ></td
                >
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      </div>
    </section>
    <form class="flex flex-wrap items-end gap-3" onsubmit={make}>
      <h2 class="w-full text-base font-[640]">{say('A token for a script')}</h2>
      <label class="flex flex-col gap-1 text-sm"
        >{say('What it is for')} <input class="input bg-field" type="text" required maxlength="80" bind:value={name} /></label
      >
      <label class="flex flex-col gap-1 text-sm"
        >{say('Days that it lasts')} <input class="input w-28 bg-field" type="number" required min="1" max="366" bind:value={days} /></label
      >
      <button class="btn-plain" type="submit">{say('Make a token')}</button>
    </form>
    {#if account.signs_in.includes('password')}
      <form class="flex flex-wrap items-end gap-3" onsubmit={renew}>
        <h2 class="w-full text-base font-[640]">{say('Another password')}</h2>
        <input type="text" autocomplete="username" class="hidden" value={account.person} readonly aria-hidden="true" tabindex="-1" />
        <label class="flex flex-col gap-1 text-sm"
          >{say('The one that you have')} <input class="input bg-field" type="password" autocomplete="current-password" required bind:value={before} /></label
        >
        <label class="flex flex-col gap-1 text-sm"
          >{say('The new one, 10 letters at least')}
          <input class="input bg-field" type="password" autocomplete="new-password" required minlength="10" bind:value={password} /></label
        >
        <button class="btn-plain" type="submit">{say('Change it, and sign in again')}</button>
      </form>
    {/if}
  {/if}
</div>
