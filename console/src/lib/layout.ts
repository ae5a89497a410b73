/** The sections of a report in rows: figures that follow each other stand side by side, and charts; a table by itself. */
export function inRows<T extends { kind: string }>(sections: T[]): T[][] {
  const all: T[][] = [];
  for (const section of sections) {
    if (section.kind !== 'table' && all.at(-1)?.[0]?.kind === section.kind) all.at(-1)!.push(section);
    else all.push([section]);
  }
  return all;
}
