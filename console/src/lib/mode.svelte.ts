// Light, dark, or as the system has it; kept in this browser.
type Mode = 'system' | 'light' | 'dark';

const key = 'pikegate-mode';

function kept(): Mode {
  const text = localStorage.getItem(key);
  return text === 'light' || text === 'dark' ? text : 'system';
}

let mode = $state<Mode>(kept());

export function currentMode(): Mode {
  return mode;
}

export function applyMode(): void {
  if (mode === 'system') delete document.documentElement.dataset.mode;
  else document.documentElement.dataset.mode = mode;
}

/** Goes on from system to light to dark and round again. */
export function nextMode(): void {
  mode = mode === 'system' ? 'light' : mode === 'light' ? 'dark' : 'system';
  if (mode === 'system') localStorage.removeItem(key);
  else localStorage.setItem(key, mode);
  applyMode();
}
