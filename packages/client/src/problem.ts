import type { Problem } from '@causalis/contract';

/** What the service refused, with its sentence, its findings and its stable code. */
export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.detail);
    this.name = 'ProblemError';
    this.problem = problem;
  }

  get code(): string {
    return this.problem.code;
  }
}

/** No service answers at the address. */
export class NoServiceError extends Error {
  constructor(base: string, cause: unknown) {
    super(`No service answers at ${base}. Start it with: npm start`, { cause });
    this.name = 'NoServiceError';
  }
}
