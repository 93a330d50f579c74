/**
 * Words of the language that this version does not carry out. They are answered "not yet" by name instead of
 * "unknown", so that nobody looks for a slip of the pen. `*` stands for any one name; `= word` means a value.
 */
const words = `
site.addresses.outside
members.*.ways.*.call members.*.ways.*.push members.*.ways.*.text
schedules.*.calendar
brokers.*.user brokers.*.password
cameras.*.keep
hooks.*.sign
outputs.*.kind=push outputs.*.kind=text outputs.*.kind=ftp outputs.*.kind=sftp outputs.*.kind=webdav outputs.*.kind=s3 outputs.*.kind=folder
outputs.*.kind=valve outputs.*.kind=siren outputs.*.kind=plug outputs.*.kind=speaker outputs.*.kind=wall
outputs.*.limit
rules.*.alarm rules.*.limit rules.*.collect
rules.*.cause.any rules.*.cause.first rules.*.cause.then rules.*.cause.within rules.*.cause.same rules.*.cause.missing rules.*.cause.after
rules.*.cause.lasting rules.*.cause.clock rules.*.cause.data
rules.*.cause.event.*=time.came rules.*.cause.event.*=output.failing
rules.*.guards.*.any rules.*.guards.*.none rules.*.guards.*.sky
rules.*.cooldown.fire rules.*.cooldown.starts
rules.*.actions.*.say rules.*.actions.*.clip rules.*.actions.*.upload rules.*.actions.*.show rules.*.actions.*.mode
rules.*.actions.*.wait rules.*.actions.*.repeat rules.*.actions.*.guards rules.*.actions.*.expires rules.*.actions.*.if-failed
rules.*.actions.*.keep
rules.*.actions.*.still.count rules.*.actions.*.still.every
`;

const patterns = words
  .split(/\s+/)
  .filter(Boolean)
  .map((text) => {
    const [path, value] = text.split('=');
    return { steps: path.split('.'), value };
  });

/** True when the word at this path, or this value there, belongs to the language and is not carried out yet. */
export function isNotYet(path: readonly (string | number)[], value?: unknown): boolean {
  // A list of one may be written as its value: the index that reading added is passed over.
  const plain = (steps: readonly (string | number)[]) => steps.filter((step) => typeof step !== 'number');
  const asked = plain(path);
  return patterns.some((pattern) => {
    if (value === undefined ? pattern.value !== undefined : pattern.value !== value) return false;
    return (
      fits(pattern.steps, path) ||
      fits(pattern.steps, asked) ||
      fits(
        pattern.steps.filter((s, i) => !(s === '*' && i > 1 && lists.has(pattern.steps[i - 1]))),
        asked,
      )
    );
  });
}

const lists = new Set(['ways', 'guards', 'event']);
const fits = (steps: readonly string[], path: readonly (string | number)[]): boolean =>
  steps.length === path.length && steps.every((step, i) => step === '*' || step === String(path[i]));
