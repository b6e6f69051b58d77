import { join } from 'node:path';
import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import { kindOf, LocalDocuments, type Services } from '@golden/server';

const page = {
  blocks: [
    { kind: 'heading', text: 'Delivery note {number}' },
    { kind: 'text', text: 'For {name}\nThank you for your order.' },
    {
      kind: 'lines',
      of: 'lines',
      columns: [
        { label: 'Item', text: '{description}' },
        { label: 'Number', text: '{quantity}', isAmount: true },
        { label: 'Net', text: '{net}', isAmount: true, hasTotal: true },
      ],
    },
  ],
  footer: 'Saltmarsh Kiln Supply · page {page} of {pages}',
};

/** How long so many one-page PDFs take until they lie in a folder, and how long the server was kept from answering at most. */
export async function documentsMade({ documentTemplates, documents }: Services, folder: string, count: number) {
  const { id } = await documentTemplates.put('Delivery note.json', Buffer.from(JSON.stringify(page)));
  const edition = await documentTemplates.edition(id, 1);
  if (!edition) throw new Error('The template isn’t there.');
  const delay = monitorEventLoopDelay({ resolution: 5 });
  delay.enable();
  const cpu = process.cpuUsage();
  const started = performance.now();
  const numbers = Array.from({ length: count }, (_, at) => at + 1).values();
  const worker = async (): Promise<void> => {
    for (const number of numbers) {
      const lines = Array.from({ length: 6 }, (_, at) => ({
        description: `Clay ${at}`,
        quantity: at + 1,
        net: '7.50',
      }));
      const record = { number: `D-${number}`, name: `Ada ${number} 山田`, lines };
      const order = { kind: kindOf(edition), record, given: record, name: `Note ${number}`, below: '' };
      await documents.put(`token-${number}`, new LocalDocuments(join(folder, 'notes')), order);
    }
  };
  await Promise.all(Array.from({ length: 8 }, worker));
  const seconds = (performance.now() - started) / 1000;
  const used = process.cpuUsage(cpu);
  return {
    seconds,
    cpuMs: (used.user + used.system) / 1000,
    peakMb: process.resourceUsage().maxRSS / 1024,
    longestMs: delay.max / 1e6,
  };
}
