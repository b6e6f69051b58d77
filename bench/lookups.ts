import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { emptyContent, type WorkflowContent } from '@golden/core';
import { customers, filledFrom, groundIn, newRows } from './ground.ts';

// Records rehearsed through a lookup that goes by e-mail first and then by likeness, against so many customers of the
// practice Ledger: one in two is there, one in ten of those written otherwise. The last line is JSON.

const [, , folder = '', given = '1000', there = '3000'] = process.argv;
const [count, known] = [Number(given), Number(there)];

const firsts = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf', 'Zoë', 'Séamus'];
const families = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill', 'Ó Briain', 'Nair', 'Yılmaz', '山田'];
const person = (at: number) => ({
  name: `${firsts[at % 10]} ${families[at % 11]}${at % 97}`,
  mail: `p${at}@studio.example`,
  phone: `+44 1632 96${String(at % 10_000).padStart(4, '0')}`,
  street: `${at % 211} Kiln Lane`,
  postcode: `ZZ${at % 99} 7AB`,
});
const lines = Array.from({ length: count }, (_, at) => {
  const one = person(at * 2);
  const mail = at % 10 === 0 ? '' : one.mail;
  return [`N ${at}`, at % 10 === 0 ? `${one.name}e` : one.name, mail, one.phone, one.street, one.postcode].join(',');
});
writeFileSync(join(folder, 'new.csv'), `No,Name,E-mail,Phone,Street,Postcode\r\n${lines.join('\r\n')}\r\n`);

const ground = await groundIn(folder);
const { services, books } = ground;
for (let at = 0; at < known; at++) {
  const { name, mail, phone, street, postcode } = person(at);
  const postalAddress = { streetName: street, cityName: 'Saltmarsh', postalZone: postcode, countryCode: 'GB' };
  books.customers.add({ company: 'retail', name, electronicMail: mail, telephone: phone, postalAddress } as never);
}
const target = await ground.place(ground.to, customers);
const mapping = {
  '/name': filledFrom('start', '/Name'),
  '/electronicMail': filledFrom('start', '/E-mail'),
  '/telephone': filledFrom('start', '/Phone'),
  '/postalAddress/streetName': filledFrom('start', '/Street'),
  '/postalAddress/postalZone': filledFrom('start', '/Postcode'),
};
const content: WorkflowContent = {
  ...emptyContent('Bench'),
  start: await newRows(ground),
  steps: [
    {
      id: 'look',
      kind: 'lookup',
      target,
      mapping,
      ladder: {
        rungs: [
          { id: 'mail', kind: 'exact', fields: ['/electronicMail'] },
          {
            id: 'alike',
            kind: 'alike',
            fields: [
              { path: '/name', kind: 'full_name' },
              { path: '/telephone', kind: 'phone' },
              { path: '/postalAddress/streetName', kind: 'street' },
              { path: '/postalAddress/postalZone', kind: 'postcode' },
            ],
          },
        ],
        atNone: 'empty',
        atUnclear: 'ask',
      },
    },
  ],
};
const { id } = await services.workflows.add(content);
const times: number[] = [];
for (let time = 0; time < 2; time++) {
  const began = performance.now();
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  times.push((performance.now() - began) / 1000);
}
const [rehearsal] = await services.db.selectFrom('rehearsal').selectAll().execute();
await services.close();
console.log(
  JSON.stringify({
    count,
    known,
    seconds: times[0],
    again: times[1],
    state: rehearsal?.state,
    message: rehearsal?.message,
  }),
);
process.exit(0);
