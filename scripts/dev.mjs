import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { root } from './common.mjs';

// For working on it: the server restarts on changes, the pages reload; practice apps as in the demo.

const start = (command, ...args) =>
  spawn(join(root, 'node_modules', '.bin', command), args, { cwd: root, stdio: 'inherit' });
const children = [
  start('tsx', 'standins/src/main.ts'),
  start(
    'tsx',
    'watch',
    'server/src/main.ts',
    '--practice',
    'shop_counter=http://127.0.0.1:4601/api',
    '--practice',
    'workbook_shelf=http://127.0.0.1:4602/api',
    '--practice',
    'ledger=http://127.0.0.1:4603/api',
    '--practice',
    'card_index=http://127.0.0.1:4604/api',
    '--practice',
    'enquiry_box=http://127.0.0.1:4606/api',
    '--practice',
    'notice_board=http://127.0.0.1:4607/api',
    '--practice',
    'post_room=http://127.0.0.1:4608/api',
    '--practice',
    'job_board=http://127.0.0.1:4611/api',
    '--practice',
    'pocket_messages=http://127.0.0.1:4612/api',
    '--practice',
    'newsletter_list=http://127.0.0.1:4613/api',
    '--practice',
    'key_cabinet=http://127.0.0.1:4614/api',
    '--practice',
    'window_display=http://127.0.0.1:4615/api',
  ),
  start('vite', 'web'),
];
process.on('SIGINT', () => {
  for (const child of children) child.kill('SIGTERM');
});
