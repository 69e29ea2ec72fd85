// What the server of `floe inspect` takes from the registry. The build puts it into the package, in one file.
export { serve } from '@hono/node-server';
export { serveStatic } from '@hono/node-server/serve-static';
export { Hono, type Context, type MiddlewareHandler } from 'hono';
export { bodyLimit } from 'hono/body-limit';
export { cors } from 'hono/cors';
export { stream } from 'hono/streaming';
