import type { Command } from 'commander';

const scripts: Readonly<Record<string, string>> = {
  bash: `_causalis() { COMPREPLY=( $(compgen -W "$(causalis words -- "\${COMP_WORDS[@]:1:COMP_CWORD-1}" 2>/dev/null)" -- "\${COMP_WORDS[COMP_CWORD]}") ); }
complete -F _causalis causalis`,
  zsh: `_causalis() { compadd -- \${(f)"$(causalis words -- \${words[2,CURRENT-1]} 2>/dev/null)"} }
compdef _causalis causalis`,
  fish: `complete -c causalis -f -a '(causalis words -- (commandline -opc)[2..-1] 2>/dev/null)'`,
};

/** What can come after some words of a command line: nouns, verbs, options. */
export function wordsAfter(program: Command, typed: readonly string[]): string[] {
  let here = program;
  for (const word of typed) here = here.commands.find((command) => command.name() === word) ?? here;
  const commands = here.commands.map((command) => command.name()).filter((name) => name !== 'words');
  const options = [...here.options, ...program.options].flatMap(({ long }) => (long ? [long] : []));
  return [...commands, ...new Set([...options, '--help'])];
}

/** `completion` prints what a shell needs; `words` is what that asks. */
export function completionCommands(program: Command): void {
  program
    .command('completion <shell>')
    .description('what bash, zsh or fish need to complete the words of this command')
    .addHelpText('after', '\nExample:\n  causalis completion bash >> ~/.bashrc')
    .action((shell: string, _: unknown, command: Command) => {
      const script = scripts[shell];
      if (!script) command.error(`There is no completion for ${shell}. Known: ${Object.keys(scripts).join(', ')}.`);
      process.stdout.write(`${script}\n`);
    });
  program
    .command('words [typed...]', { hidden: true })
    .allowUnknownOption()
    .action((typed: string[]) => {
      process.stdout.write(`${wordsAfter(program, typed).join('\n')}\n`);
    });
}
