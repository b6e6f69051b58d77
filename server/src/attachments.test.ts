import { productAroundEach } from './testing/around.ts';

// Files that go along with mails: kept by their names, whole, and for as long as they are listed.

const around = productAroundEach();
const bytes = (text: string): Uint8Array => Buffer.from(text);
const content = async (name: string): Promise<string | undefined> => {
  const file = await around.services.attachments.get(name);
  return file && Buffer.from(file.content).toString();
};

test('a file is there after a restart, replaced by one of its name, and gone when it is removed', async () => {
  const { attachments } = around.services;
  expect(await attachments.put('Prices.pdf', 'application/pdf', bytes('one'))).toBe('Prices.pdf');
  await around.reopen();
  await around.services.arrivals.sweep();
  expect(await content('Prices.pdf')).toBe('one');
  await around.services.attachments.put('Prices.pdf', 'application/pdf', bytes('two'));
  // What nothing leads to any more is swept, the rest isn't.
  await around.services.arrivals.sweep();
  expect(await content('Prices.pdf')).toBe('two');
  expect(await around.services.attachments.list()).toMatchObject([{ name: 'Prices.pdf', size: 3 }]);
  await around.services.attachments.remove('Prices.pdf');
  expect(await content('Prices.pdf')).toBeUndefined();
});

test.each([
  ['../../etc/passwd', 'passwd'],
  ['C:\\desk\\Price list.pdf', 'Price list.pdf'],
  ['a\r\nBcc: eve@clay.example.pdf', 'a Bcc eve@clay.example.pdf'],
  ['Öfen & Töne, 2026.pdf', 'Öfen & Töne 2026.pdf'],
])('what is called “%s” can’t lead elsewhere, nor put a header into a mail', async (given, name) => {
  expect(await around.services.attachments.put(given, 'text/html; charset="x"\r\nBcc: a', bytes('x'))).toBe(name);
  expect((await around.services.attachments.get(name))?.type).toBe('application/octet-stream');
});

test('an empty one, one without a name, and one that is too large are refused with a sentence', async () => {
  const { attachments } = around.services;
  await expect(attachments.put('a.pdf', '', bytes(''))).rejects.toThrow('“a.pdf” is empty.');
  await expect(attachments.put('../', '', bytes('x'))).rejects.toThrow('The file has no name.');
  await expect(attachments.put('a.pdf', '', new Uint8Array(10 * 1024 * 1024 + 1))).rejects.toThrow('more than 10 MB');
  expect(await attachments.list()).toEqual([]);
});
