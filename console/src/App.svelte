<script lang="ts">
  import { say } from './lib/words';
  import { linkOfLine } from './lib/answers';
  import { about, readLine } from './lib/api';
  import { currentMode, nextMode } from './lib/mode.svelte';
  import { currentPerson, doSignIn, isDeveloper, seeAs, seenAs, setPerson } from './lib/person.svelte';
  import { currentUrl, decodedPart, follow, go, rewrite } from './lib/route.svelte';
  import ReceiptPage from './pages/ReceiptPage.svelte';
  import ReportPage from './pages/ReportPage.svelte';
  import ReportsPage from './pages/ReportsPage.svelte';
  import RunsPage from './pages/RunsPage.svelte';
  import SignIn from './pages/SignIn.svelte';

  const url = $derived(currentUrl());
  const report = $derived(/^\/reports\/([^/]+)$/.exec(url.pathname)?.[1]);
  const receipt = $derived(/^\/receipts\/(\d+)$/.exec(url.pathname)?.[1]);
  const isRuns = $derived(url.pathname === '/runs');
  const isWorkroom = $derived(/^\/workroom(\/|$)/.test(url.pathname));
  const isAccount = $derived(url.pathname === '/account');
  const isPeople = $derived(url.pathname === '/people');
  const schedule = $derived(/^\/schedules(?:\/([^/]+))?$/.exec(url.pathname));
  const isReports = $derived(!receipt && !isRuns && !isWorkroom && !isAccount && !isPeople && !schedule);
  const find = $derived(report || !(isReports || isWorkroom) ? '' : (url.searchParams.get('find') ?? ''));
  let version = $state('');
  let provider = $state(''); // that one may sign in at
  let notice = $state(''); // what whoever keeps the service should know

  let isKnown = $state<boolean>(); // whether who sits here may go on
  let shown = $state(0); // the pages are drawn anew for somebody else

  // As whom a report is seen ends with the page of the report.
  $effect(() => {
    if (!report) seeAs('');
  });

  /** Asks who sits here. Nothing else is asked of the service before. */
  function ask() {
    about().then(
      (a) => {
        ({ version, notice = '', openid: provider = '' } = a);
        if (currentPerson().name !== a.person) shown++;
        setPerson(a.person, a.role, a.groups, a.sign_in);
        isKnown = a.person !== '';
      },
      () => (isKnown = true), // the page itself says that the service does not answer
    );
  }
  ask();

  /** Asks for sign-in where the service does: what stands on the page stays, behind it. */
  addEventListener('signinrequired', () => (isKnown = false));
  function left() {
    setPerson('', '');
    isKnown = false;
  }

  function search(text: string) {
    const at = isWorkroom ? '/workroom' : '/';
    const to = text ? `${at}?find=${encodeURIComponent(text)}` : at;
    if (report || (isWorkroom ? url.pathname !== at : !isReports)) go(to);
    else rewrite(to);
  }
  /** Opens the report that a line means, with the answers in it; where it means none, the page says so. */
  async function open(event: KeyboardEvent) {
    const text = (event.currentTarget as HTMLInputElement).value;
    if (event.key !== 'Enter' || isWorkroom || text.trim() === '') return;
    const line = await readLine(text).catch(() => undefined);
    if (line?.report) go(linkOfLine(line));
  }
</script>

<a class="absolute -start-[999px] z-10 bg-card px-3 py-1.5 focus:start-2 focus:top-2" href="#main">{say("To the page's content")}</a>
<header
  class="flex h-[52px] items-center gap-7 bg-bar px-6 text-[#f2efe6] max-[700px]:gap-3.5 max-[700px]:px-3.5 max-[420px]:h-auto max-[420px]:min-h-[52px] max-[420px]:flex-wrap max-[420px]:gap-x-2.5 max-[420px]:gap-y-1 max-[420px]:py-1 print:hidden"
>
  <a class="flex items-center gap-2.5 text-[17px] font-[650] whitespace-nowrap text-inherit no-underline" href="/" onclick={follow}>
    <svg width="30" height="22" viewBox="0 0 30 22" aria-hidden="true">
      <rect x="3" y="6" width="4" height="16" fill="#f2efe6" />
      <rect x="3" y="8" width="26" height="4" fill="#e5a13c" transform="rotate(-14 5 10)" />
      <rect x="23" y="14" width="4" height="8" fill="#f2efe6" />
    </svg>
    <span class="max-[420px]:sr-only">Pike Gate</span>
  </a>
  {#if isKnown !== false}
    <nav class="flex gap-[22px] max-[700px]:gap-3 max-[420px]:gap-2" aria-label={say('Console')}>
      {@render tab('/', say('Reports'), isReports, isReports && !report)}
      {@render tab('/runs', say('Runs'), isRuns || !!receipt, isRuns)}
      {@render tab('/schedules', say('Schedules'), !!schedule, url.pathname === '/schedules')}
      {#if isDeveloper() || isWorkroom}{@render tab('/workroom', say('Workroom'), isWorkroom, url.pathname === '/workroom')}{/if}
      {#if doSignIn() && currentPerson().role === 'admin'}{@render tab('/people', say('People'), isPeople, isPeople)}{/if}
    </nav>
    <input
      class="ms-auto input w-[270px] min-w-[60px] bg-[#164f56] text-sm text-white ring-[#2c6970] placeholder:text-[#c9dad8] max-[420px]:w-[60px] max-[420px]:grow"
      type="search"
      aria-label={isWorkroom ? say('Find a definition') : say('Find a report')}
      placeholder={isWorkroom ? say('Find a definition') : say('Find a report, answers too')}
      title={isWorkroom ? undefined : say('A report, and answers to what it asks, in any order; Enter opens it')}
      value={find}
      oninput={(e) => search(e.currentTarget.value)}
      onkeydown={(e) => void open(e)}
    />
  {:else}
    <span class="ms-auto"></span>
  {/if}
  <button class="cursor-pointer border-b border-dotted border-[#6d8f92] text-[#c9dad8]" onclick={nextMode} title={say('Light, dark, or as the system has it')}>
    <span class="sr-only">{say('Appearance:')}</span>
    {currentMode()}
  </button>
  {#if doSignIn() && currentPerson().name}
    <a class="whitespace-nowrap text-[#c9dad8]" href="/account" onclick={follow} aria-current={isAccount ? 'page' : undefined}>{currentPerson().name}</a>
  {:else}
    <span class="whitespace-nowrap text-[#c9dad8] max-[700px]:hidden" title={version && `Pike Gate ${version}`}>{currentPerson().name}</span>
  {/if}
</header>
<main id="main" class="min-h-[calc(100dvh-52px)] print:min-h-0">
  {#if isKnown === false}<SignIn done={ask} {provider} />{/if}
  <div class="contents" hidden={isKnown === false}>
    {#if isKnown !== undefined && (!doSignIn() || currentPerson().name)}
      {#key shown}{@render page()}{/key}
    {/if}
  </div>
</main>

{#snippet page()}
  {#if isAccount}
    {#await import('./pages/AccountPage.svelte') then { default: AccountPage }}<AccountPage {left} />{/await}
  {:else if isPeople}
    {#await import('./pages/PeoplePage.svelte') then { default: PeoplePage }}<PeoplePage />{/await}
  {:else if schedule}
    {#await import('./pages/SchedulesPage.svelte') then { default: SchedulesPage }}
      {#key schedule[1]}<SchedulesPage name={decodedPart(schedule[1] ?? '')} />{/key}
    {/await}
  {:else if report}
    {#key `${report} ${seenAs()}`}<ReportPage name={decodedPart(report)} />{/key}
  {:else if receipt}
    {#key receipt}<ReceiptPage id={receipt} />{/key}
  {:else if isRuns}
    <RunsPage />
  {:else if isWorkroom}
    {#await import('./workroom/Workroom.svelte') then { default: Workroom }}
      <Workroom />
    {:catch}
      <p class="p-6" role="alert">{say('The workroom could not be fetched. Load the page again.')}</p>
    {/await}
  {:else}
    <ReportsPage {find} />
  {/if}
{/snippet}

{#if version && !report && !isWorkroom}
  <footer class="mx-auto max-w-[1180px] px-6 py-4 text-sm text-quiet print:hidden">
    Pike Gate {version}
    {#if notice}<p class="text-amber" role="status">{say('Notice: {0}.', notice)}</p>{/if}
  </footer>
{/if}

{#snippet tab(href: string, text: string, on: boolean, here: boolean)}
  <a
    {href}
    class="border-b-[3px] pt-[15px] pb-3 no-underline {on ? 'border-[#e5a13c] text-white' : 'border-transparent text-[#c9dad8]'}"
    aria-current={here ? 'page' : undefined}
    onclick={follow}>{text}</a
  >
{/snippet}
