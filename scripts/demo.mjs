import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, giveUp, installPackages, needNode, needPort, root, runTogether, say } from './common.mjs';

// Installs, builds, makes the demo's data and starts everything: Golden Relay and its practice apps.

const ports = {
  golden: 4600,
  door: 4605,
  mail: 2525,
  shop: 4601,
  shelf: 4602,
  ledger: 4603,
  cards: 4604,
  enquiry: 4606,
  notice: 4607,
  post: 4608,
  jobs: 4611,
  pocket: 4612,
  newsletter: 4613,
  cabinet: 4614,
  window: 4615,
  imap: 4609,
  smtp: 4610,
};

needNode();
await needPort(ports.golden, 'Golden Relay');
await needPort(ports.door, 'the door of Golden Relay, at which events are posted');
await needPort(ports.shop, 'the Shop counter');
await needPort(ports.shelf, 'the Workbook shelf');
await needPort(ports.ledger, 'the Ledger');
await needPort(ports.cards, 'the Card index');
await needPort(ports.enquiry, 'the Enquiry box');
await needPort(ports.notice, 'the Notice board');
await needPort(ports.post, 'the Post room');
await needPort(ports.imap, 'the Post room’s IMAP server');
await needPort(ports.smtp, 'the Post room’s SMTP server');
await needPort(ports.mail, 'the mail port of Golden Relay');
await needPort(ports.jobs, 'the Job board');
installPackages();
build();
say('Making the demo’s data.');
const made = spawnSync(process.execPath, [join(root, 'dist', 'make-demo.mjs')], { cwd: root, stdio: 'inherit' });
if (made.status !== 0) giveUp('The demo’s data could not be made. Remove the folder .data and try again.');
runTogether([
  [
    'dist/practice.mjs',
    '--data',
    '.data/practice',
    '--shop',
    String(ports.shop),
    '--shelf',
    String(ports.shelf),
    '--ledger',
    String(ports.ledger),
    '--cards',
    String(ports.cards),
    '--enquiry',
    String(ports.enquiry),
    '--notice',
    String(ports.notice),
    '--post',
    String(ports.post),
    '--jobs',
    String(ports.jobs),
    '--pocket',
    String(ports.pocket),
    '--newsletter',
    String(ports.newsletter),
    '--cabinet',
    String(ports.cabinet),
    '--window',
    String(ports.window),
    '--imap',
    String(ports.imap),
    '--smtp',
    String(ports.smtp),
    '--outside',
    `127.0.0.1:${ports.mail}`,
  ],
  [
    'dist/golden.mjs',
    '--data',
    '.data/golden',
    '--port',
    String(ports.golden),
    '--door-port',
    String(ports.door),
    '--mail-port',
    String(ports.mail),
    '--practice',
    `shop_counter=http://127.0.0.1:${ports.shop}/api`,
    '--practice',
    `workbook_shelf=http://127.0.0.1:${ports.shelf}/api`,
    '--practice',
    `ledger=http://127.0.0.1:${ports.ledger}/api`,
    '--practice',
    `card_index=http://127.0.0.1:${ports.cards}/api`,
    '--practice',
    `enquiry_box=http://127.0.0.1:${ports.enquiry}/api`,
    '--practice',
    `notice_board=http://127.0.0.1:${ports.notice}/api`,
    '--practice',
    `post_room=http://127.0.0.1:${ports.post}/api`,
    '--practice',
    `job_board=http://127.0.0.1:${ports.jobs}/api`,
    '--practice',
    `pocket_messages=http://127.0.0.1:${ports.pocket}/api`,
    '--practice',
    `newsletter_list=http://127.0.0.1:${ports.newsletter}/api`,
    '--practice',
    `key_cabinet=http://127.0.0.1:${ports.cabinet}/api`,
    '--practice',
    `window_display=http://127.0.0.1:${ports.window}/api`,
  ],
]);
