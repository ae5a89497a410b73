// Reads what `go test -json` writes and prints a line for each package, and what a test that failed
// said. The tests with their times go to the file that is named, for the list of the slowest.
//
//   go test -json ./... | node tools/tell.mjs FILE
import { createInterface } from 'node:readline';
import { appendFileSync } from 'node:fs';

const said = new Map(); // output by package and test, until it is known how that ended
const key = (e) => `${e.Package} ${e.Test ?? ''}`;
let failed = false;

for await (const line of createInterface({ input: process.stdin })) {
  let e;
  try {
    e = JSON.parse(line);
  } catch {
    console.log(line);
    continue;
  }

  switch (e.Action) {
    case 'build-output':
      process.stdout.write(e.Output);
      break;
    case 'output':
      if (/^(ok|\?) +\t/.test(e.Output)) {
        if (!e.Output.includes('[no test files]')) process.stdout.write(e.Output);
      } else {
        said.set(key(e), (said.get(key(e)) ?? '') + e.Output);
      }
      break;
    case 'fail':
    case 'build-fail':
      failed = true;
      process.stdout.write(said.get(key(e)) ?? '');
      said.delete(key(e));
      break;
    case 'pass':
    case 'skip':
      said.delete(key(e));
      break;
  }
  if (e.Test && !e.Test.includes('/') && e.Elapsed !== undefined) {
    appendFileSync(process.argv[2], `${e.Elapsed}\t${e.Package.replace(/^pikegate\//, '')}\t${e.Test}\n`);
  }
}
process.exitCode = failed ? 1 : 0;
