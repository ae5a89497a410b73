/** A program of Node.js that prints a port of loopback that nobody has. */
export const freePort = `
  const server = require('net').createServer();
  server.listen(0, '127.0.0.1', () => {
    process.stdout.write(String(server.address().port));
    server.close();
  });`;
