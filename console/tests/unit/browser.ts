// What the console asks of a browser when it begins, where tests run without one.
Object.defineProperty(globalThis, 'navigator', { value: { languages: ['en-US'] }, configurable: true });
Object.assign(globalThis, { document: { documentElement: { style: {} } } });
