import { createServer } from 'node:http';
import { join } from 'node:path';
import { listen, shopCounter } from '@golden/standins';

const schema = {
  openapi: '3.1.0',
  info: { title: 'Sink', version: '1' },
  paths: {},
  components: {
    schemas: {
      Person: {
        type: 'object',
        properties: { id: { type: 'string', readOnly: true }, name: { type: 'string' }, email: { type: 'string' } },
      },
    },
  },
};

/** A shop with `count` customers, and a sink that answers each post after `latency` milliseconds. */
export async function outsideWorld(
  { folder, count, latency }: { folder: string; count: number; latency: number },
  tell: (where: { shop: string; sink: string }) => void,
): Promise<void> {
  const shop = shopCounter(join(folder, 'shop.sqlite'));
  const blank = { company: null, phone: null, account_type: 'hobby' as const, vat_number: null, newsletter: false };
  const address = { street: '9 Wheel Street', city: 'Saltmarsh', postcode: 'ZZ7 7EF', country: 'GB' };
  shop.store.addAll(
    Array.from({ length: count }, (_, at) => {
      const createdAt = new Date(1.7e12 + at * 1000).toISOString();
      return {
        input: { ...blank, address, first_name: `Ada ${at}`, last_name: 'Nair', email: `Ada${at}@clay.example` },
        createdAt,
        updatedAt: createdAt,
      };
    }),
  );
  const shopAt = await listen(shop.app, 0);
  let made = 0;
  const sink = createServer((asked, answer) => {
    const give = (body: unknown): void => {
      answer.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    };
    if (asked.url === '/openapi.json') give(schema);
    else if (asked.url === '/me') give({ name: 'bench' });
    else if (asked.url === '/made') give({ made });
    else {
      asked.resume();
      asked.on('end', () => {
        made += 1;
        const id = String(made);
        if (latency > 0) setTimeout(() => give({ id }), latency);
        else give({ id });
      });
    }
  });
  sink.listen(0, '127.0.0.1', () => {
    const { port } = sink.address() as { port: number };
    tell({ shop: shopAt.url, sink: `http://127.0.0.1:${port}` });
  });
}
