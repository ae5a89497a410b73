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

test('rows are handed on before the receipt comes', async () => {
  const body = streamOf(start, '{"event":"rows_end"}\n', '{"event":"receipt","receipt":{"id":7}}\n');
  vi.stubGlobal('fetch', async () => new Response(body));
  const early: Result[] = [];
  const result = await runReport('r', { answers: {} }, 200, true, {}, (rows) => early.push(rows), new AbortController().signal);
  expect(early).toMatchObject([{ sections: [{ rows: [[1]], columns: [{ name: 'id' }] }] }]);
  expect(early[0]!.receipt).toBeUndefined();
  expect(result).toMatchObject({ sections: [{ rows: [[1]] }], receipt: { id: 7 } });
});

test('a stream without a receipt broke off', async () => {
  vi.stubGlobal('fetch', async () => new Response(streamOf(start)));
  await expect(runReport('r', { answers: {} }, 200, true, {}, () => {}, new AbortController().signal)).rejects.toBeInstanceOf(BrokeOff);
});
