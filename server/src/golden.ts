import { backupCommand } from './cli/backup.ts';
import { type CommandResult, formulaCommand } from './cli/formula.ts';
import { duplicatesCommand, matchCommand } from './cli/matching.ts';

// The command-line entry `golden`: without a command it serves one data folder on this machine.

const commands: Readonly<Record<string, (args: readonly string[]) => CommandResult | Promise<CommandResult>>> = {
  formula: (args) => formulaCommand([...args], new Date().toISOString()),
  duplicates: duplicatesCommand,
  match: matchCommand,
  backup: (args) => backupCommand(args),
};

const [name = '', ...args] = process.argv.slice(2);
const command = Object.hasOwn(commands, name) ? commands[name] : undefined;

if (command) {
  const { out, error, code } = await command(args);
  if (out !== undefined) process.stdout.write(`${out}\n`);
  if (error !== undefined) process.stderr.write(`${error}\n`);
  process.exitCode = code;
} else {
  await import('./main.ts');
}
