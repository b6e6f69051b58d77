import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { CommandResult } from './cli/formula.ts';

// The command-line entry `golden`: without a command it serves one data folder on this machine.

type Command = (args: readonly string[]) => CommandResult | Promise<CommandResult>;

/** Each command loads what it needs when it is asked for: a short one is there at once, in little memory. */
const commands: Readonly<Record<string, Command>> = {
  formula: async (args) => (await import('./cli/formula.ts')).formulaCommand([...args], new Date().toISOString()),
  duplicates: async (args) => (await import('./cli/matching.ts')).duplicatesCommand(args),
  match: async (args) => (await import('./cli/matching.ts')).matchCommand(args),
  reconcile: async (args) => (await import('./cli/reconcile.ts')).reconcileCommand(args),
  rows: async (args) => (await import('./cli/workbook.ts')).rowsCommand(args),
  append: async (args) => (await import('./cli/workbook.ts')).appendCommand(args),
  document: async (args) => (await import('./cli/document.ts')).documentCommand(args),
  when: async (args) => (await import('./cli/when.ts')).whenCommand(args),
  backup: async (args) => (await import('./cli/backup.ts')).backupCommand(args),
};

const help = `golden                       serves a data folder: golden --data FOLDER --port 4600
golden formula '<formula>'    works a formula out
golden duplicates FILE        finds the duplicates in a CSV file
golden match LEFT RIGHT       finds who is whom in two CSV files
golden reconcile LEFT RIGHT   what differs between two files, what is missing, what is doubled
golden rows FILE              the rows of a workbook, a line of JSON each
golden append FILE            puts rows below the last one of a workbook
golden document TEMPLATE       makes a document for each record
golden when --from … --wait …  when a wait ends, by working hours and days off
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
} else if (['help', '--help', '-h'].includes(name)) {
  process.stdout.write(`${help}\n`);
} else if (name !== '' && !name.startsWith('-')) {
  process.stderr.write(`There is no command “${name}”.\n${help}\n`);
  process.exitCode = 2;
} else {
  await import('./main.ts');
}
