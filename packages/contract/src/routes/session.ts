import { SessionState } from '..';
import { signIn } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** Signing in and out, and what anybody may ask. */
export const sessionRoutes = {
  'GET /health': { summary: 'Whether the server and its database answer', role: null, answer: json<{ up: true }>() },
  'GET /openapi.json': { summary: 'This description', role: null, answer: json<Record<string, unknown>>() },
  'GET /session': { summary: 'Who is signed in, and the token that changes must carry in the header x-rule-csrf', role: null, answer: json<SessionState>() },
  'POST /session': { summary: 'Sign in', role: null, body: signIn, answer: json<SessionState>() },
  'DELETE /session': { summary: 'Sign out', role: null, answer: nothing },
} satisfies RouteTable;
