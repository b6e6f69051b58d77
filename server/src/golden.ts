import { formulaCommand } from './cli/formula.ts';

// The command-line entry `golden`: without a command it serves one data folder on this machine.

const [command, ...args] = process.argv.slice(2);

if (command === 'formula') {
  const { out, error, code } = formulaCommand(args, new Date().toISOString());
  if (out !== undefined) process.stdout.write(`${out}\n`);
  if (error !== undefined) process.stderr.write(`${error}\n`);
  process.exitCode = code;
} else {
  await import('./main.ts');
}
