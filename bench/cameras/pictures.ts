import { readdirSync, readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import path from 'node:path';

// A process of its own that sends pictures which were encoded beforehand: `/FOLDER/EVERYMS`, to each caller from another one on.
const root = process.env.CAUSALIS_PICTURES ?? '';
const boundary = 'bench';
const folders = new Map<string, readonly Buffer[]>();

function partsOf(folder: string): readonly Buffer[] {
  const known = folders.get(folder);
  if (known) return known;
  const here = path.join(root, path.basename(folder));
  const parts = readdirSync(here)
    .sort()
    .map((name) => {
      const jpeg = readFileSync(path.join(here, name));
      const head = `--${boundary}\r\nContent-Type: image/jpeg\r\nContent-Length: ${jpeg.length}\r\n\r\n`;
      return Buffer.concat([Buffer.from(head), jpeg, Buffer.from('\r\n')]);
    });
  folders.set(folder, parts);
  return parts;
}

let callers = 0;
const server = createServer((request, response) => {
  const [folder, every] = (request.url ?? '/').slice(1).split('/');
  const parts = partsOf(folder);
  let next = callers++ * 7;
  response.writeHead(200, { 'content-type': `multipart/x-mixed-replace; boundary=${boundary}` });
  const timer = setInterval(() => {
    if (response.writableLength === 0) response.write(parts[next++ % parts.length]);
  }, Number(every));
  response.on('close', () => clearInterval(timer));
});
server.listen(0, '127.0.0.1', () => {
  const address = server.address();
  process.send?.({ kind: 'ready', port: typeof address === 'object' ? address?.port : 0 });
});
process.on('disconnect', () => process.exit(0));
