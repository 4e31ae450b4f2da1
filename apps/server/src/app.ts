import { randomBytes, timingSafeEqual } from 'node:crypto';
import { join } from 'node:path';
import { SessionState, signIn } from '@rule/contract';
import connectPgSimple from 'connect-pg-simple';
import express, { ErrorRequestHandler, Express, NextFunction, Request, RequestHandler, Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import session from 'express-session';
import helmet from 'helmet';
import pg from 'pg';
import { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import { Db, isConnectionError } from './platform/db';
import { AppError } from './platform/problem';
import { openApi, routerOf } from './platform/route';
import { routesOf } from './routes';
import { readSettings } from './schema/settings';
import { Services } from './services';
import { User } from './users/user';
import { authenticate, findUser } from './users/users';

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
  /** Sign-in attempts from one address in fifteen minutes. */
  readonly signInLimit?: number;
}

/** JSON bodies: a tray of fifty thousand values fits. */
const LARGEST_JSON = '32mb';

const equal = (a: string, b: string) => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** Builds the web application around the services. `close` lets go of its own connections. */
export function buildApp({ services, databaseUrl, sessionSecret, webFolder, log, signInLimit = 30 }: AppOptions): { app: Express; close: () => Promise<void> } {
  const app = express();
  const sessionPool = new pg.Pool({ connectionString: databaseUrl, max: 4 });
  sessionPool.on('error', (error) => log.warn({ reason: error.message }, 'session connection lost'));
  const PgStore = connectPgSimple(session);
  const store = new PgStore({
    pool: sessionPool,
    tableName: 'session',
    errorLog: (...args: unknown[]) => log.warn({ reason: String(args[0]) }, 'session store'),
  });

  app.disable('x-powered-by');
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
      strictTransportSecurity: false,
    }),
  );
  app.use(
    pinoHttp({
      logger: log,
      // Paths and numbers only: no query, no body, no header, so that no value of a property gets into the log.
      serializers: {
        req: (req: { method: string; url: string }) => ({ method: req.method, path: req.url.split('?')[0] }),
        res: (res: { statusCode: number }) => ({ status: res.statusCode }),
        err: (error: Error) => ({ type: error.name }),
      },
      customLogLevel: (_req, res, error) => (error || res.statusCode >= 500 ? 'error' : res.statusCode >= 400 ? 'warn' : 'info'),
      autoLogging: { ignore: (req) => !(req.url ?? '').startsWith('/api') },
    }),
  );

  app.use((_request, _response, next) => services.db.noting(next));

  const routes = routesOf(services);
  app.get('/api/openapi.json', (_request, response) => void response.json(openApi(routes)));
  app.get('/api/health', async (_request, response) => {
    await services.db.one('SELECT 1 AS up');
    response.json({ up: true });
  });

  app.use(
    '/api',
    session({
      name: 'rule.sid',
      secret: sessionSecret,
      store,
      resave: false,
      saveUninitialized: false,
      rolling: true,
      cookie: { httpOnly: true, sameSite: 'strict', maxAge: 12 * 3_600_000 },
    }),
  );
  const users = new WeakMap<Request, User>();
  app.use('/api', async (request: Request, _response: Response, next: NextFunction) => {
    const bearer = /^Bearer (\S+)$/.exec(request.get('authorization') ?? '')?.[1];
    if (bearer !== undefined) {
      // A program: no cookie is involved, so nobody can be made to send the token without knowing it.
      const user = await services.tokens.userOf(bearer);
      if (!user) throw new AppError(401, 'wrong-token', 'The token is not known. Make a new one in Settings.');
      users.set(request, user);
      next();
      return;
    }
    request.session.csrf ??= randomBytes(24).toString('base64url');
    const { userId } = request.session;
    const user = userId === undefined ? undefined : await findUser(services.db, userId);
    if (user) users.set(request, user);
    if (request.method !== 'GET' && request.method !== 'HEAD' && !equal(request.get('x-rule-csrf') ?? '', request.session.csrf))
      throw new AppError(403, 'csrf', 'The request does not carry the token of this session. Load the page again.');
    next();
  });
  app.use(
    '/api',
    jsonUnlessUpload(
      routes
        .filter((definition) => definition.upload !== undefined || definition.stream)
        .map((definition) => new RegExp(`^${definition.path.replace(/\{\w+\}/g, '\\d+')}$`)),
    ),
  );

  const state = async (request: Request, user: User | undefined): Promise<SessionState> => ({
    user: user ? { name: user.name, displayName: user.displayName, role: user.role } : null,
    csrf: request.session.csrf ?? '',
    company: (await readSettings(services.db)).company,
  });
  app.get('/api/session', async (request, response) => void response.json(await state(request, users.get(request))));
  const limiter = rateLimit({
    windowMs: 15 * 60_000,
    limit: signInLimit,
    standardHeaders: true,
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    handler: (_request, _response, next) => next(new AppError(429, 'too-many-attempts', 'Too many attempts to sign in. Wait a quarter of an hour.')),
  });
  app.post('/api/session', limiter, async (request, response) => {
    const checked = signIn.validate(request.body);
    if (checked.error) throw new AppError(400, 'bad-request', 'Name and password are needed.');
    const { name, password } = checked.value;
    const user = await authenticate(services.db, name, password);
    if (!user) throw new AppError(401, 'wrong-sign-in', 'Name or password is wrong.');
    // A new session number, so that one that was planted before signing in is worth nothing.
    await new Promise<void>((resolve, reject) => request.session.regenerate(settle(resolve, reject)));
    request.session.userId = user.id;
    request.session.csrf = randomBytes(24).toString('base64url');
    response.json(await state(request, user));
  });
  app.delete('/api/session', async (request, response) => {
    await new Promise<void>((resolve, reject) => request.session.destroy(settle(resolve, reject)));
    response.clearCookie('rule.sid').json(null);
  });

  app.use(
    '/api',
    routerOf(routes, (request) => users.get(request)),
  );
  app.use('/api', () => {
    throw new AppError(404, 'no-such-route', 'The API has no such route.');
  });
  if (webFolder) {
    app.use(express.static(webFolder, { index: false, maxAge: '1h' }));
    app.get('/{*path}', (_request, response) => response.sendFile(join(webFolder, 'index.html'), { cacheControl: false }));
  }
  app.use(answerErrors(log, services.db));
  return { app, close: () => sessionPool.end() };
}

/** A callback in the manner of Node that settles a promise. */
const settle = (resolve: () => void, reject: (error: Error) => void) => (failure?: unknown) =>
  failure ? reject(failure instanceof Error ? failure : new Error('The session could not be kept.')) : resolve();

/** Parses JSON bodies, but leaves uploads to their routes. */
function jsonUnlessUpload(uploads: readonly RegExp[]): RequestHandler {
  const json = express.json({ limit: LARGEST_JSON });
  return (request, response, next) => (uploads.some((path) => path.test(request.path)) && request.method === 'POST' ? next() : json(request, response, next));
}

function answerErrors(log: Logger, db: Db): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const known = toAppError(error, db.mayHaveWritten);
    if (known.status >= 500 && known.code === 'internal')
      log.error({ err: error instanceof Error ? { type: error.name, message: error.message, stack: error.stack } : String(error) }, 'unexpected error');
    response.status(known.status).type('application/problem+json').send(JSON.stringify(known.toProblem()));
  };
}

/** @param wrote whether the request may have written something before it failed */
function toAppError(error: unknown, wrote: boolean): AppError {
  if (error instanceof AppError) return error;
  const type = (error as { type?: string }).type;
  if (type === 'entity.too.large')
    return new AppError(413, 'too-large', `What was sent is larger than Rule takes (${Math.round((error as { limit?: number }).limit! / 2 ** 20)} MiB).`);
  if (type === 'entity.parse.failed') return new AppError(400, 'bad-request', 'The body is not JSON.');
  if (isConnectionError(error))
    return wrote
      ? new AppError(503, 'outcome-unknown', 'The database went away in the middle of this. Whether it was done is not known: look before you do it again.')
      : new AppError(503, 'database-unreachable', 'The database does not answer. Nothing was changed by this request; try again in a moment.');
  return new AppError(500, 'internal', 'Something unexpected went wrong on the server. What happened is in its log.');
}
