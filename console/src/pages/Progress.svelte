<script lang="ts">
  import { say } from '../lib/words';
  import type { Progress } from '../lib/api';
  import { progressText } from '../lib/format';
  import { askForWord, canAsk } from '../lib/word';

  // How far a run is that takes a while.
  let { progress, receipt }: { progress: Progress; receipt: number } = $props();

  let asks = $state(canAsk());
</script>

<div class="mt-6 max-w-[520px]">
  <p role="status">{progressText(progress)}</p>
  <progress class="mt-2 h-2 w-full accent-deep" max="100" value={progress.share} aria-label={say('How much of the period is read')}></progress>
  <p class="mt-1.5 text-sm text-quiet">
    {say('It goes on when you leave this page; it is run {0} under Runs then.', receipt)}
    {#if asks}
      <button type="button" class="btn-plain" onclick={() => void askForWord().then(() => (asks = false))}>{say('Tell me when it is done')}</button>
    {/if}
  </p>
</div>
