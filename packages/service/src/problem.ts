import { type Finding, type Problem, type ProblemCode, problemStatus } from '@causalis/contract';
import { problemText } from '@causalis/words';

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
