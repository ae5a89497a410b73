<script lang="ts">
  import { listReports, messageOf, type ReportSummary } from '../lib/api';
  import { Doing } from '../lib/doing.svelte';
  import { momentText } from '../lib/format';
  import {
    addPerson,
    attributesOf,
    attributesText,
    changePerson,
    dropGroup,
    listAudit,
    listGroups,
    listPeople,
    setGroup,
    whoSees,
    type AuditEntry,
    type Group,
    type Person,
    type Role,
  } from '../lib/people';
  import { say } from '../lib/words';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

  // For admins: who may sign in and do what, and what was done.
  let people = $state.raw<Person[]>();
  let entries = $state.raw<AuditEntry[]>([]);
  let groups = $state.raw<Group[]>([]);
  let name = $state('');
  let password = $state('');
  let role = $state<Role>('reader');

  const roles: Role[] = ['reader', 'developer', 'admin'];
  const cell = 'border-b border-line px-2.5 py-1.5 align-top';

  let shelves = $state.raw<[string, number][]>([]); // with how many reports lie on each

  const doing = new Doing(async () => {
    let reports: ReportSummary[];
    [people, groups, entries, reports] = await Promise.all([listPeople(), listGroups(), listAudit(), listReports('')]);
    const many = new Map<string, number>();
    for (const { shelf } of reports) many.set(shelf, (many.get(shelf) ?? 0) + 1);
    shelves = [...many];
  });
  void doing.do(() => Promise.resolve(''));

  function add(event: SubmitEvent) {
    event.preventDefault();
    void doing.do(async () => {
      const added = await addPerson(name, password, role);
      name = password = '';
      return say('{0} may sign in as {1}.', added.name, added.role);
    });
  }

  const setRole = (person: Person, to: Role) =>
    doing.do(async () => {
      await changePerson(person.name, { role: to });
      return say('{0} is {1} now.', person.name, to);
    });

  const setAway = (person: Person, away: boolean) =>
    doing.do(async () => {
      await changePerson(person.name, { away });
      return away ? say('{0} may not sign in any more.', person.name) : say('{0} may sign in again.', person.name);
    });

  const setShelves = (person: Person, text: string) =>
    doing.do(async () => {
      const { shelves } = await changePerson(person.name, { shelves: text.split(',').map((shelf) => shelf.trim()) });
      return shelves.length > 0
        ? say('{0} sees the reports of {1}.', person.name, shelves.join(', '))
        : say('{0} sees the reports of all shelves.', person.name);
    });

  const setAttributes = (person: Person, text: string) =>
    doing.do(async () => {
      const { attributes } = await changePerson(person.name, { attributes: attributesOf(text) });
      return say('Of {0} is known: {1}.', person.name, attributesText(attributes) || say('nothing'));
    });

  /** How somebody signs in, as far as that is known here. */
  const howIn = ({ signs_in }: Person) =>
    signs_in.map((how) => (how === 'password' ? say('by password') : say('at the provider'))).join(', ') || say('no password');

  const parted = (text: string) =>
    text
      .split(',')
      .map((item) => item.trim())
      .filter(Boolean);

  const changeGroup = (group: Group) =>
    doing.do(async () => {
      const set = await setGroup(group);
      return say('{0}: {1}.', set.name, set.members.join(', ') || say('nobody'));
    });

  const removeGroup = (group: Group) =>
    doing.do(async () => {
      await dropGroup(group.name);
      return say('{0} is dropped.', group.name);
    });

  let groupName = $state('');
  function addGroup(event: SubmitEvent) {
    event.preventDefault();
    void changeGroup({ name: groupName, members: [] }).then(() => (groupName = ''));
  }

  async function earlier() {
    try {
      entries = [...entries, ...(await listAudit(entries.at(-1)!.id))];
    } catch (cause) {
      doing.failed = messageOf(cause);
    }
  }
</script>

{#snippet field(label: string, value: string, change: (text: string) => Promise<void>)}
  <td class={cell}>
    <input class="input bg-field py-1 text-sm" type="text" autocomplete="off" aria-label={label} {value} onchange={(e) => void change(e.currentTarget.value)} />
  </td>
{/snippet}

<svelte:head><title>{say('People · Pike Gate')}</title></svelte:head>

<div class="mx-auto flex max-w-[1180px] flex-col gap-5 p-6">
  <PageHead title={say('People')} />
  {#if doing.failed}<Notice kind="failed">{doing.failed}</Notice>{/if}
  <p class="text-sm text-quiet" role="status">{doing.said}</p>
  {#if people}
    <DataTable
      caption={say('Who may sign in')}
      heads={[
        { text: say('Name') },
        { text: say('May') },
        { text: say('Shelves') },
        { text: say('Attributes') },
        { text: say('Since') },
        { text: say('Change') },
      ]}
    >
      {#snippet rows()}
        {#each people ?? [] as person (person.name)}
          <tr class:text-quiet={!!person.away_at}>
            <td class={cell}>{person.name}<span class="block text-sm text-quiet">{howIn(person)}</span></td>
            <td class={cell}>
              <select
                class="select w-auto bg-field py-1 text-sm"
                aria-label={say('What {0} may do', person.name)}
                value={person.role}
                onchange={(e) => {
                  const select = e.currentTarget;
                  void setRole(person, select.value as Role).then(() => (select.value = person.role)); // as it was, where that is refused
                }}
              >
                {#each roles as r (r)}<option value={r}>{r}</option>{/each}
              </select>
            </td>
            <td class={cell}>
              {#if person.role !== 'admin'}
                <input
                  class="input bg-field py-1 text-sm placeholder:text-quiet"
                  type="text"
                  autocomplete="off"
                  placeholder={say('all')}
                  aria-label={say('Shelves that {0} sees, parted by commas', person.name)}
                  value={person.shelves.join(', ')}
                  onchange={(e) => void setShelves(person, e.currentTarget.value)}
                />
              {:else}{say('all')}{/if}
            </td>
            <td class={cell}>
              <input
                class="input bg-field py-1 text-sm placeholder:text-quiet"
                type="text"
                autocomplete="off"
                placeholder={say('such as harbours=Holm, Skerry')}
                aria-label={say('What is known of {0} for conditions: attribute=values; another', person.name)}
                value={attributesText(person.attributes)}
                onchange={(e) => void setAttributes(person, e.currentTarget.value)}
              />
              {#if person.groups.length > 0}<span class="block text-sm text-quiet">{say('in {0}', person.groups.join(', '))}</span>{/if}
            </td>
            <td class={cell}>{person.away_at ? say('away since {0}', momentText(person.away_at)) : momentText(person.made_at)}</td>
            <td class={cell}>
              <button type="button" class="btn-plain" onclick={() => void setAway(person, !person.away_at)}
                >{person.away_at ? say('Let {0} in again', person.name) : say('Send {0} away', person.name)}</button
              >
            </td>
          </tr>
        {/each}
      {/snippet}
    </DataTable>
    <form class="flex flex-wrap items-end gap-3" onsubmit={add}>
      <h2 class="w-full text-base font-[640]">{say('Let somebody in')}</h2>
      <label class="flex flex-col gap-1 text-sm"
        >{say('Name')} <input class="input bg-field" type="text" autocomplete="off" required maxlength="80" bind:value={name} /></label
      >
      <label class="flex flex-col gap-1 text-sm"
        >{say('Password, 10 letters at least; none for who signs in elsewhere')}
        <input class="input bg-field" type="password" autocomplete="new-password" minlength="10" bind:value={password} /></label
      >
      <label class="flex flex-col gap-1 text-sm"
        >{say('May')}
        <select class="select w-auto bg-field" bind:value={role}>
          {#each roles as r (r)}<option value={r}>{r}</option>{/each}
        </select></label
      >
      <button class="btn-plain" type="submit">{say('Add')}</button>
    </form>
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('Groups')}</h2>
      {#if groups.length > 0}
        <DataTable
          caption={say('Groups of people, and what they have together')}
          heads={[{ text: say('Name') }, { text: say('People') }, { text: say('Shelves') }, { text: say('Attributes') }, { text: say('Change') }]}
        >
          {#snippet rows()}
            {#each groups as group (group.name)}
              <tr>
                <td class={cell}>{group.name}</td>
                {@render field(say('Who is in {0}, parted by commas', group.name), group.members.join(', '), (text) =>
                  changeGroup({ ...group, members: parted(text) }),
                )}
                {@render field(say('Shelves of {0}, parted by commas', group.name), group.shelves?.join(', ') ?? '', (text) =>
                  changeGroup({ ...group, shelves: parted(text) }),
                )}
                {@render field(say('Attributes of {0}: attribute=values; another', group.name), attributesText(group.attributes ?? {}), (text) =>
                  changeGroup({ ...group, attributes: attributesOf(text) }),
                )}
                <td class={cell}><button type="button" class="btn-plain" onclick={() => void removeGroup(group)}>{say('Drop {0}', group.name)}</button></td>
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      {/if}
      <form class="mt-2 flex flex-wrap items-end gap-3" onsubmit={addGroup}>
        <label class="flex flex-col gap-1 text-sm"
          >{say('A new group')} <input class="input bg-field" type="text" autocomplete="off" required maxlength="80" bind:value={groupName} /></label
        >
        <button class="btn-plain" type="submit">{say('Add the group')}</button>
      </form>
    </section>
    {#if shelves.length > 0}
      <section>
        <h2 class="mb-1 text-base font-[640]">{say('Shelves')}</h2>
        <DataTable
          caption={say('Who sees the reports of each shelf')}
          heads={[{ text: say('Shelf') }, { text: say('Reports'), isNumber: true }, { text: say('Who sees them') }]}
        >
          {#snippet rows()}
            {#each shelves as [shelf, reports] (shelf)}
              {@const seeing = whoSees(shelf, people ?? [], groups)}
              <tr>
                <td class={cell}>{shelf || say('no shelf')}</td>
                <td class="{cell} text-end">{reports}</td>
                <td class={cell}
                  >{seeing.length === (people ?? []).filter((p) => !p.away_at).length ? say('everybody') : seeing.map((p) => p.name).join(', ')}</td
                >
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      </section>
    {/if}
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('What was done')}</h2>
      <DataTable caption={say('What was done, the latest first')} heads={[{ text: say('When') }, { text: say('Who') }, { text: say('What') }]}>
        {#snippet rows()}
          {#each entries as entry (entry.id)}
            <tr>
              <td class="{cell} whitespace-nowrap">{momentText(entry.at)}</td>
              <td class={cell}>{entry.person || say('nobody known')}</td>
              <td class="{cell} wrap-anywhere" class:text-brick={entry.action.includes('refused')}>{entry.action} {entry.subject}</td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
      {#if (entries.at(-1)?.id ?? 0) > 1}<p class="py-3">
          <button type="button" class="btn-plain" onclick={() => void earlier()}>{say('Show earlier ones')}</button>
        </p>{/if}
    </section>
  {/if}
</div>
