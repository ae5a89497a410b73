<script lang="ts">
  import { say } from '../lib/words';
  import { messageOf, Refused } from '../lib/api';
  import Notice from '../parts/Notice.svelte';
  import { putFiles } from './api';
  import { nameOf, quoted } from './templates';

  // A database to read from. Addresses and passwords stay with whoever keeps the service: it names where they are kept.
  let { taken, connected }: { taken: string[]; connected: () => void } = $props();

  let engine = $state('sqlite');
  let title = $state('');
  let file = $state('');
  let variable = $state('');
  let zone = $state(Intl.DateTimeFormat().resolvedOptions().timeZone);
  let failed = $state('');
  const name = $derived(nameOf(title));

  async function connect(event: SubmitEvent) {
    event.preventDefault();
    failed = '';
    if (!name) failed = say('Give it a name of some letters.');
    else if (taken.includes(name)) failed = say('There is a source {0} already.', name);
    if (failed) return;
    const lines = ['pikegate: 1', `source: ${name}`, `title: ${quoted(title.trim())}`, `zone: ${zone}`, `engine: ${engine}`];
    if (engine === 'sqlite') lines.push(`file: ${quoted(file.trim())}`);
    else lines.push(`address: {env: ${quoted(variable.trim())}}`);
    try {
      await putFiles([{ name: `${name}.yaml`, text: `${lines.join('\n')}\n` }]);
      connected();
      title = file = variable = '';
    } catch (cause) {
      failed = messageOf(cause);
      if (cause instanceof Refused) failed += ` ${(cause.problem.errors ?? []).map((e) => e.message).join('; ')}`;
    }
  }
</script>

<details class="mt-8">
  <summary class="cursor-pointer text-[17px] font-[660] text-deep">{say('Connect a database')}</summary>
  <form class="mt-3 grid max-w-[560px] gap-3" onsubmit={connect}>
    {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
    <label class="grid gap-1 font-[640]"
      >{say('Which kind?')}
      <select class="select bg-field font-normal" bind:value={engine}>
        <option value="sqlite">{say('an SQLite file')}</option>
        <option value="postgres">PostgreSQL</option>
        <option value="mariadb">MariaDB</option>
      </select></label
    >
    <label class="grid gap-1 font-[640]"
      >{say('What do people call it?')}
      <input class="input bg-field font-normal" bind:value={title} placeholder={say('Harbour office')} autocomplete="off" /></label
    >
    {#if engine === 'sqlite'}
      <label class="grid gap-1 font-[640]"
        >{say('Its file')} <input class="input bg-field font-normal" bind:value={file} placeholder="harbour.db" autocomplete="off" /><span
          class="text-sm font-normal text-quiet">{say("A relative name lies in the service's directory.")}</span
        ></label
      >
    {:else}
      <label class="grid gap-1 font-[640]"
        >{say('The variable that has its address')}
        <input class="input bg-field font-normal" bind:value={variable} placeholder="HARBOUR_DATABASE" autocomplete="off" /><span
          class="text-sm font-normal text-quiet"
          >{say("Set in the service's environment, as in {0}://reader@host/database. It is never shown here.", engine)}</span
        ></label
      >
    {/if}
    <label class="grid gap-1 font-[640]"
      >{say('Days are taken by the clock of')} <input class="input bg-field font-normal" bind:value={zone} autocomplete="off" /></label
    >
    <p><button class="btn bg-deep text-on-deep" type="submit">{say('Connect')}</button></p>
  </form>
</details>
