import { timingSafeEqual } from 'node:crypto';
import { join } from 'node:path';
import compression from 'compression';
import connectPgSimple from 'connect-pg-simple';
import express, { ErrorRequestHandler, Express, NextFunction, Request, Response } from 'express';
import session from 'express-session';
import helmet from 'helmet';
import pg from 'pg';
import { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import { isConnectionError } from './platform/db';
import { AppError } from './platform/problem';
import { touchSeldom } from './platform/seldom';
import { AnswerSchemas } from './routes/openapi';
import { answersInLines, sendLine } from './routes/send';
import { routerOf } from './routes/router';
import { handlersOf } from './routes';
import { Services } from './services';
import { User } from './users/user';
import { findUser } from './users/users';

declare module 'express-session' {
  interface SessionData {
    userId: number;
    csrf: string;
  }
}

export interface AppOptions {
  readonly services: Services;
  readonly databaseUrl: string;
  readonly sessionSecret: string;
  readonly webFolder: string | null;
  readonly log: Logger;
  /** Answers of the routes, for the published API description. */
  readonly answers: AnswerSchemas;
  readonly reach?: Reach;
}

/** How people reach the server. */
export interface Reach {
  /** Trusted proxies: their number or their addresses. */
  readonly proxies: number | readonly string[];
  /** Whether users connect by HTTPS; if so, cookies are sent over HTTPS only. */
  readonly https: boolean;
}

/** No proxy in between. */
export const DIRECT: Reach = { proxies: 0, https: false };

/** Sessions end after this time without use. */
const SESSION_LASTS = 12 * 3_600_000;
/** How often a session in use is extended. */
const EXTEND_EVERY = 10 * 60_000;

/** Whether a session still exists and its user may still act. */
const SESSION_STANDS = `SELECT 1 FROM session s JOIN users u ON u.id = (s.sess->>'userId')::int AND u.state = 'active' WHERE s.sid = $1`;

/** The token of a request. */
const bearerOf = (request: Request): string | undefined => /^Bearer (\S+)$/.exec(request.get('authorization') ?? '')?.[1];

const equal = (a: string, b: string) => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** Builds the web application around the services. `close` closes its own connections. */
export function buildApp({ services, databaseUrl, sessionSecret, webFolder, log, answers, reach = DIRECT }: AppOptions): {
  app: Express;
  close: () => Promise<void>;
} {
  const app = express();
  const sessionPool = new pg.Pool({ connectionString: databaseUrl, max: 4 });
  sessionPool.on('error', (error) => log.warn({ reason: error.message }, 'session connection lost'));
  const PgStore = connectPgSimple(session);
  const store = new PgStore({
    pool: sessionPool,
    tableName: 'session',
    errorLog: (...args: unknown[]) => log.warn({ reason: String(args[0]) }, 'session store'),
  });
  touchSeldom(store, EXTEND_EVERY);

  app.disable('x-powered-by');
  app.set('trust proxy', reach.proxies === 0 ? false : reach.proxies);
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        // Styles are inserted while the page runs (by the component library and the framework), hence 'unsafe-inline' for them alone.
        directives: {
          defaultSrc: ["'none'"],
          scriptSrc: ["'self'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
          fontSrc: ["'self'"],
          imgSrc: ["'self'", 'data:'],
          connectSrc: ["'self'"],
          workerSrc: ["'self'"],
          baseUri: ["'self'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: reach.https,
    }),
  );
  app.use(
    pinoHttp({
      logger: log,
      // Logs paths and numbers only, never a query, body or header, so no property value reaches the log.
      serializers: {
        req: (req: { method: string; url: string }) => ({ method: req.method, path: req.url.split('?')[0] }),
        res: (res: { statusCode: number }) => ({ status: res.statusCode }),
        err: (error: Error) => ({ type: error.name }),
      },
      customLogLevel: (_req, res, error) => (error || res.statusCode >= 500 ? 'error' : res.statusCode >= 400 ? 'warn' : 'info'),
      autoLogging: { ignore: (req) => !(req.url ?? '').startsWith('/api') },
    }),
  );

  /** Possible writes of the server when a request began. */
  const began = new WeakMap<Request, number>();
  app.use((request, _response, next) => {
    began.set(request, services.db.possibleWrites);
    next();
  });

  const sessions = session({
    name: 'rule.sid',
    secret: sessionSecret,
    store,
    resave: false,
    saveUninitialized: false,
    rolling: true,
    cookie: { httpOnly: true, sameSite: 'strict', secure: reach.https, maxAge: SESSION_LASTS },
  });
  // A client with a token gets no session unless it signs in.
  app.use('/api', (request, response, next) => {
    if (bearerOf(request) !== undefined && request.path !== '/session') next();
    else sessions(request, response, next);
  });
  const users = new WeakMap<Request, User>();
  /** Whether the session or token of a request is still valid. */
  const standing = new WeakMap<Request, () => Promise<boolean>>();
  app.use('/api', async (request: Request, _response: Response, next: NextFunction) => {
    const bearer = bearerOf(request);
    if (bearer !== undefined) {
      // Token requests need no CSRF check: browsers do not attach tokens by themselves.
      const user = await services.tokens.userOf(bearer);
      if (!user) throw new AppError(401, 'wrong-token', 'The token is not valid. Create a new one in Settings.');
      users.set(request, user);
      standing.set(request, async () => (await services.tokens.userOf(bearer)) !== undefined);
      next();
      return;
    }
    // Without a session there is nothing for a foreign page to misuse.
    const { userId, csrf } = request.session;
    if (userId !== undefined) {
      const user = await findUser(services.db, userId);
      if (user) users.set(request, user);
      standing.set(request, async () => (await services.db.one(SESSION_STANDS, [request.sessionID])) !== undefined);
      if (request.method !== 'GET' && request.method !== 'HEAD' && !equal(request.get('x-rule-csrf') ?? '', csrf ?? ''))
        throw new AppError(403, 'csrf', 'The request lacks the token of this session. Reload the page.');
    }
    next();
  });

  app.use(
    '/api',
    routerOf(
      handlersOf(services, answers),
      (request) => users.get(request),
      (request) => standing.get(request)?.() ?? Promise.resolve(false),
    ),
  );
  app.use('/api', () => {
    throw new AppError(404, 'no-such-route', 'The API has no such route.');
  });
  if (webFolder) {
    // API answers are small and change; page assets are large and stable.
    app.use(compression());
    app.use(express.static(webFolder, { index: false, maxAge: '1h' }));
    app.get('/{*path}', (_request, response) => response.sendFile(join(webFolder, 'index.html'), { cacheControl: false }));
  }
  // Others may have written meanwhile; then the outcome is said to be unknown, which is never wrong.
  app.use(answerErrors(log, (request) => began.get(request) !== services.db.possibleWrites));
  return { app, close: () => sessionPool.end() };
}

function answerErrors(log: Logger, mayHaveWritten: (request: Request) => boolean): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    const inLines = answersInLines(response);
    if (response.headersSent && !inLines) {
      next(error);
      return;
    }
    const known = toAppError(error, mayHaveWritten(request));
    if (known.status >= 500 && known.code === 'internal')
      log.error({ err: error instanceof Error ? { type: error.name, message: error.message, stack: error.stack } : String(error) }, 'unexpected error');
    if (inLines) {
      sendLine(response, { problem: known.toProblem() });
      response.end();
      return;
    }
    response.status(known.status).type('application/problem+json').send(JSON.stringify(known.toProblem()));
  };
}

/** @param wrote whether the request may have written something before it failed */
function toAppError(error: unknown, wrote: boolean): AppError {
  if (error instanceof AppError) return error;
  const type = (error as { type?: string }).type;
  if (type === 'entity.too.large')
    return new AppError(413, 'too-large', `The request is too large (limit: ${Math.round((error as { limit?: number }).limit! / 2 ** 20)} MiB).`);
  if (type === 'entity.parse.failed') return new AppError(400, 'bad-request', 'The body is not JSON.');
  if (isConnectionError(error))
    return wrote
      ? new AppError(503, 'outcome-unknown', 'The database connection was lost. It is not known whether the change was saved: check before you try again.')
      : new AppError(503, 'database-unreachable', 'The database does not answer. Nothing was changed. Try again.');
  return new AppError(500, 'internal', 'An unexpected error occurred on the server. See its log.');
}
