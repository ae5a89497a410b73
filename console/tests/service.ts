import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** The program that is tested. */
export const program = join(import.meta.dirname, '../../bin/pikegate');

const findsPort = `
  const server = require('net').createServer();
  server.listen(0, '127.0.0.1', () => {
    process.stdout.write(String(server.address().port));
    server.close();
  });`;

/** A port of loopback that nobody has. */
export const freePort = () => execFileSync(process.execPath, ['-e', findsPort], { encoding: 'utf8' });

/** A service that a test has to itself, on an address of its own. */
export class Service {
  readonly at: string;
  /** What it printed. */
  output = '';
  private process: ChildProcess;

  /** Starts a command of the program that serves, in an empty directory. Arguments may say where it is. */
  constructor(command: 'serve' | 'demo', args: (at: string) => string[] = () => []) {
    const listen = `127.0.0.1:${freePort()}`;
    this.at = `http://${listen}`;
    const dir = mkdtempSync(join(tmpdir(), 'pikegate-'));
    const all = [command, '--listen', listen, '--data', dir, ...args(this.at)];
    this.process = spawn(program, all, { stdio: ['ignore', 'pipe', 'ignore'] });
    this.process.stdout!.on('data', (text: Buffer) => (this.output += text.toString()));
  }

  /** Waits until it answers. */
  async ready() {
    for (const until = Date.now() + 120_000; ; await new Promise((resolve) => setTimeout(resolve, 100))) {
      const answer = await fetch(`${this.at}/readyz`).catch(() => undefined);
      if (answer?.ok) return;
      if (Date.now() > until) throw new Error(`${this.at} does not answer: ${this.output}`);
    }
  }

  end() {
    this.process.kill();
  }
}
