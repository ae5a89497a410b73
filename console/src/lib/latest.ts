// What this browser has seen of the reports, so that what is new since can be told.
import type { ReportSummary } from './api';

const key = 'pikegate-reports-seen';

/** The revisions of the reports as they were when one was last here; undefined where one never was. */
export function seenReports(): Record<string, number> | undefined {
  try {
    return (JSON.parse(localStorage.getItem(key) ?? 'null') as Record<string, number> | null) ?? undefined;
  } catch {
    return undefined; // what cannot be read was not seen
  }
}

export function keepSeen(reports: ReportSummary[]) {
  localStorage.setItem(key, JSON.stringify(Object.fromEntries(reports.map((r) => [r.name, r.revision]))));
}

/** The reports that are new or changed since. */
export function newSince(reports: ReportSummary[], seen: Record<string, number> | undefined): ReportSummary[] {
  return seen ? reports.filter((r) => (seen[r.name] ?? 0) < r.revision) : [];
}
