<script lang="ts">
  import { about } from './lib/api';
  import { currentMode, nextMode } from './lib/mode.svelte';
  import { currentUrl, decodedPart, follow, go, rewrite } from './lib/route.svelte';
  import ReceiptPage from './pages/ReceiptPage.svelte';
  import ReportPage from './pages/ReportPage.svelte';
  import ReportsPage from './pages/ReportsPage.svelte';
  import RunsPage from './pages/RunsPage.svelte';

  const url = $derived(currentUrl());
  const report = $derived(/^\/reports\/([^/]+)$/.exec(url.pathname)?.[1]);
  const receipt = $derived(/^\/receipts\/(\d+)$/.exec(url.pathname)?.[1]);
  const isRuns = $derived(url.pathname === '/runs');
  const isReports = $derived(!receipt && !isRuns);
  const find = $derived(report || !isReports ? '' : (url.searchParams.get('find') ?? ''));
  let person = $state('');

  about().then(
    (a) => (person = a.person),
    () => {}, // the page itself says that the service does not answer
  );

  function search(text: string) {
    const to = text ? `/?find=${encodeURIComponent(text)}` : '/';
    if (report || !isReports) go(to);
    else rewrite(to);
  }
</script>

<a class="skip" href="#main">To the page's content</a>
<header>
  <a class="brand" href="/" onclick={follow}>
    <svg width="30" height="22" viewBox="0 0 30 22" aria-hidden="true">
      <rect x="3" y="6" width="4" height="16" fill="#f2efe6" />
      <rect x="3" y="8" width="26" height="4" fill="#e5a13c" transform="rotate(-14 5 10)" />
      <rect x="23" y="14" width="4" height="8" fill="#f2efe6" />
    </svg>
    <span class="name">Pike Gate</span>
  </a>
  <nav aria-label="Console">
    <a href="/" class:on={isReports} aria-current={isReports && !report ? 'page' : undefined} onclick={follow}>Reports</a>
    <a href="/runs" class:on={!isReports} aria-current={isRuns ? 'page' : undefined} onclick={follow}>Runs</a>
  </nav>
  <input
    class="find"
    type="search"
    aria-label="Find a report"
    placeholder="Find a report"
    value={find}
    oninput={(e) => search(e.currentTarget.value)}
  />
  <button class="mode" onclick={nextMode} title="Light, dark, or as the system has it">
    <span class="unseen">Appearance:</span>
    {currentMode()}
  </button>
  <span class="me">{person}</span>
</header>
<main id="main">
  {#if report}
    {#key report}<ReportPage name={decodedPart(report)} />{/key}
  {:else if receipt}
    {#key receipt}<ReceiptPage id={receipt} />{/key}
  {:else if isRuns}
    <RunsPage />
  {:else}
    <ReportsPage {find} />
  {/if}
</main>

<style>
  header {
    display: flex;
    align-items: center;
    gap: 28px;
    height: 52px;
    padding: 0 24px;
    background: var(--bar);
    color: #f2efe6;
  }
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font-weight: 650;
    font-size: 17px;
    color: inherit;
    text-decoration: none;
    white-space: nowrap;
  }
  nav {
    display: flex;
    gap: 22px;
  }
  nav a {
    color: #c9dad8;
    text-decoration: none;
    padding: 15px 0 12px;
    border-bottom: 3px solid transparent;
  }
  nav .on {
    color: #fff;
    border-color: #e5a13c;
  }
  .find {
    margin-left: auto;
    width: 270px;
    min-width: 60px;
    background: #164f56;
    border: 1px solid #2c6970;
    border-radius: 4px;
    padding: 5px 12px;
    color: #fff;
  }
  .find::placeholder {
    color: #c9dad8;
    opacity: 1;
  }
  .mode {
    color: #c9dad8;
    cursor: pointer;
    border-bottom: 1px dotted #6d8f92;
  }
  .me {
    color: #c9dad8;
    white-space: nowrap;
  }
  .skip {
    position: absolute;
    left: -999px;
  }
  .skip:focus {
    left: 8px;
    top: 8px;
    background: var(--card);
    padding: 6px 12px;
    z-index: 10;
  }
  @media (max-width: 700px) {
    header {
      gap: 14px;
      padding: 0 14px;
    }
    nav {
      gap: 12px;
    }
    .me {
      display: none;
    }
  }
  @media (max-width: 420px) {
    .name {
      position: absolute;
      clip-path: inset(50%);
    }
    header {
      padding: 0 16px;
    }
  }
</style>
