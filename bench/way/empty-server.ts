import Fastify from 'fastify';

const app = Fastify();
app.post('/', async () => ({}));
await app.listen({ host: '127.0.0.1', port: 0 });
const address = app.server.address();
process.send?.(typeof address === 'object' && address ? address.port : 0);
