import { Problem } from '@rule/contract';

/** An error with a status, a stable code and a message. */
export class AppError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly issues?: Problem['issues'],
  ) {
    super(message);
    this.name = 'AppError';
  }

  toProblem(): Problem {
    return {
      type: 'about:blank',
      title: this.code.replaceAll('-', ' '),
      status: this.status,
      code: this.code,
      detail: this.message,
      ...(this.issues ? { issues: this.issues } : {}),
    };
  }
}

export const notFound = (what: string): AppError => new AppError(404, 'not-found', `${what} does not exist.`);
export const forbidden = (message: string): AppError => new AppError(403, 'forbidden', message);
export const refused = (code: string, message: string, issues?: Problem['issues']): AppError => new AppError(409, code, message, issues);
export const invalid = (code: string, message: string, issues?: Problem['issues']): AppError => new AppError(422, code, message, issues);
