import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { backupCommand } from './cli/backup.ts';
import { type CommandResult, formulaCommand } from './cli/formula.ts';
import { duplicatesCommand, matchCommand } from './cli/matching.ts';
import { appendCommand, rowsCommand } from './cli/workbook.ts';

// The command-line entry `golden`: without a command it serves one data folder on this machine.

const commands: Readonly<Record<string, (args: readonly string[]) => CommandResult | Promise<CommandResult>>> = {
  formula: (args) => formulaCommand([...args], new Date().toISOString()),
  duplicates: duplicatesCommand,
  match: matchCommand,
  rows: rowsCommand,
  append: appendCommand,
  backup: (args) => backupCommand(args),
};

const help = `golden                       serves a data folder: golden --data FOLDER --port 4600
golden formula '<formula>'    works a formula out
golden duplicates FILE        finds the duplicates in a CSV file
golden match LEFT RIGHT       finds who is whom in two CSV files
golden rows FILE              the rows of a workbook, a line of JSON each
golden append FILE            puts rows below the last one of a workbook
golden backup FOLDER          copies the data
golden help                   this list
A command without anything behind it says what it takes.`;

function* ended(lines: Iterable<string>): Generator<string> {
  for (const line of lines) yield `${line}\n`;
}

const [name = '', ...args] = process.argv.slice(2);
const command = Object.hasOwn(commands, name) ? commands[name] : undefined;

if (command) {
  const { out, lines, error, code } = await command(args);
  if (out !== undefined) process.stdout.write(`${out}\n`);
  if (lines !== undefined) await pipeline(Readable.from(ended(lines)), process.stdout, { end: false });
  if (error !== undefined) process.stderr.write(`${error}\n`);
  process.exitCode = code;
} else if (name === 'help') {
  process.stdout.write(`${help}\n`);
} else if (name !== '' && !name.startsWith('-')) {
  process.stderr.write(`There is no command “${name}”.\n${help}\n`);
  process.exitCode = 2;
} else {
  await import('./main.ts');
}
