// A word from the browser when a run is done that took a while, for who looks at another page meanwhile.

/** Whether the browser can say it and has not been asked yet. */
export const canAsk = () => 'Notification' in window && Notification.permission === 'default';

/** Asks whether it may. */
export async function askForWord(): Promise<boolean> {
  return (await Notification.requestPermission()) === 'granted';
}

/** Says that a report is there, where the browser may and nobody looks at the page. */
export function sayDone(title: string, what: string) {
  if (document.visibilityState === 'hidden' && 'Notification' in window && Notification.permission === 'granted') new Notification(title, { body: what });
}
