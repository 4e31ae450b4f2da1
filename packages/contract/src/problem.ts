/** An error answer (RFC 9457, `application/problem+json`) with a stable code. */
export interface Problem {
  readonly type: 'about:blank';
  readonly title: string;
  readonly status: number;
  readonly code: string;
  readonly detail: string;
  /** Details, by field or line. */
  readonly issues?: readonly { readonly field: string; readonly code: string; readonly message: string }[];
}
