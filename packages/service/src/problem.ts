import { type Finding, nearest, type Problem, type ProblemCode, problemStatus } from '@causalis/contract';
import { problemText } from '@causalis/words';

/** There is no such item; the nearest known name is said with it. */
export function unknownItem(what: string, key: string, known: readonly string[] = []): Refusal {
  const near = nearest(key, known);
  return new Refusal('unknown-item', {
    what,
    key,
    mend: near === undefined ? (known.length > 0 ? ` Known: ${known.slice(0, 8).join(', ')}.` : '') : ` Did you mean ${near}?`,
  });
}

/** An expected refusal on its way to the caller: a code of the register with its values. */
export class Refusal extends Error {
  readonly code: ProblemCode;
  readonly values: Readonly<Record<string, string | number>>;
  readonly findings: readonly Finding[] | undefined;

  constructor(code: ProblemCode, values: Readonly<Record<string, string | number>> = {}, findings?: readonly Finding[], cause?: unknown) {
    super(code, { cause });
    this.code = code;
    this.values = values;
    this.findings = findings;
  }

  /** Problem details (RFC 9457). */
  get problem(): Problem {
    const { title, detail } = problemText(this.code, this.values);
    return {
      type: `urn:causalis:problem:${this.code}`,
      title,
      status: problemStatus[this.code],
      detail,
      code: this.code,
      ...(this.findings ? { findings: [...this.findings] } : {}),
      values: this.values,
    };
  }
}
