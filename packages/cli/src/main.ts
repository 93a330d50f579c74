import { NoServiceError, ProblemError } from '@causalis/client';
import { findingText } from '@causalis/words';
import { Command, CommanderError } from 'commander';
import { cameraCommands } from './commands/camera.js';
import { deliveryCommands } from './commands/delivery.js';
import { eventCommands } from './commands/event.js';
import { modeCommands, secretCommands, serveCommand, statusCommand } from './commands/other.js';
import { outputCommands } from './commands/output.js';
import { loginCommand, tokenCommands, userCommands } from './commands/people.js';
import { ruleCommands } from './commands/rule.js';
import { siteCommands } from './commands/site.js';
import { accountCommands, hookCommands, sourceCommands } from './commands/source.js';
import { completionCommands } from './completion.js';
import { Complaint } from './session.js';

const version = '0.2.0';

/** Exit codes: 0 done, 1 refused or failed, 2 wrong use, 3 no service. */
function complain(error: unknown): number {
  const say = (text: string) => process.stderr.write(`${text}\n`);
  if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
  if (error instanceof Complaint) {
    say(error.message);
    return error.exitCode;
  }
  if (error instanceof NoServiceError) {
    say(error.message);
    return 3;
  }
  if (error instanceof ProblemError) {
    if (process.argv.includes('--json')) say(JSON.stringify(error.problem, null, 2));
    else {
      say(`${error.problem.title}. ${error.problem.detail}`);
      for (const finding of (error.problem.findings ?? []).slice(1)) say(findingText(finding).line);
    }
    return 1;
  }
  say(`Something went wrong in the command line: ${(error as Error).stack ?? error}`);
  return 1;
}

// Whoever reads our output may have enough of it: that is no failure.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

const program = new Command('causalis')
  .description('Causalis: from camera to cause to effect')
  .version(version)
  .option('--site <key>', 'the site, where there is more than one')
  .option('--json', 'print JSON')
  .exitOverride()
  .showSuggestionAfterError()
  .addHelpText('after', '\nExample:\n  causalis status\n  causalis event chain last');
for (const add of [
  serveCommand,
  statusCommand,
  loginCommand,
  siteCommands,
  cameraCommands,
  sourceCommands,
  accountCommands,
  hookCommands,
  outputCommands,
  secretCommands,
  ruleCommands,
  modeCommands,
  eventCommands,
  deliveryCommands,
  userCommands,
  tokenCommands,
  completionCommands,
])
  add(program);

try {
  await program.parseAsync();
} catch (error) {
  process.exitCode = complain(error);
}
