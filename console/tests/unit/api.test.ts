import { expect, test, vi } from 'vitest';
import { BrokeOff, linesOf, runReport, type Result } from '../../src/lib/api';

const streamOf = (...parts: string[]) =>
  new ReadableStream<Uint8Array<ArrayBuffer>>({
    start(controller) {
      for (const part of parts) controller.enqueue(new TextEncoder().encode(part));
      controller.close();
    },
  });

test('lines are whole wherever the stream was cut', async () => {
  const lines = [];
  for await (const line of linesOf(streamOf('{"a":', '1}\n{"b"', ':2}\n', '{"c":3}'))) lines.push(line);
  expect(lines).toEqual(['{"a":1}', '{"b":2}', '{"c":3}']);
});

const start = '{"event":"start","columns":[{"name":"id","type":"integer","label":"Id"}]}\n{"event":"row","values":[1]}\n';

const asked = { answers: {}, evidence: true, go_on: true } as const;
const silent = { rows: () => {}, progress: () => {} };

test('rows are handed on before the receipt comes', async () => {
  const progress = '{"event":"run","receipt":7}\n{"event":"progress","stage":"reading","rows":512}\n';
  const body = streamOf(progress, start, '{"event":"rows_end"}\n', '{"event":"receipt","receipt":{"id":7}}\n');
  vi.stubGlobal('fetch', async () => new Response(body));
  const early: Result[] = [];
  const told: unknown[] = [];
  const result = await runReport('r', asked, 200, {}, { rows: (rows) => early.push(rows), progress: (...of) => told.push(of) }, new AbortController().signal);
  expect(early).toMatchObject([{ sections: [{ rows: [[1]], columns: [{ name: 'id' }] }] }]);
  expect(told).toMatchObject([[7], [7, { rows: 512 }]]);
  expect(early[0]!.receipt).toBeUndefined();
  expect(result).toMatchObject({ sections: [{ rows: [[1]] }], receipt: { id: 7 } });
});

test('a stream without a receipt broke off', async () => {
  vi.stubGlobal('fetch', async () => new Response(streamOf(start)));
  await expect(runReport('r', asked, 200, {}, silent, new AbortController().signal)).rejects.toBeInstanceOf(BrokeOff);
});

test('what went wrong once the answer had begun is told as what it is', async () => {
  const problem = '{"event":"run","receipt":7}\n{"event":"problem","problem":{"status":502,"code":"source_failed","detail":"the source does not answer"}}\n';
  vi.stubGlobal('fetch', async () => new Response(streamOf(problem)));
  await expect(runReport('r', asked, 200, {}, silent, new AbortController().signal)).rejects.toMatchObject({
    problem: { code: 'source_failed' },
  });
});
