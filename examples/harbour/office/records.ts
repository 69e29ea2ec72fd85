// What the control rooms keep at the office: texts under keys, with entity tags (RFC 9110), so that no client overwrites
// what another one wrote meanwhile.
import { Hono } from 'hono';

interface Kept {
  readonly text: string;
  readonly tag: string;
}

export function keptApp(): Hono {
  const desks = new Map<string, Map<string, Kept>>();
  let written = 0;
  const deskOf = (desk: string): Map<string, Kept> => {
    const known = desks.get(desk) ?? new Map<string, Kept>();
    desks.set(desk, known);
    return known;
  };
  const app = new Hono();
  app.get('/:desk/', (c) => c.json([...deskOf(c.req.param('desk')).keys()]));
  app.get('/:desk/:key', (c) => {
    const found = deskOf(c.req.param('desk')).get(c.req.param('key'));
    if (!found) return c.json({ problem: 'Nothing is kept there.' }, 404);
    c.header('ETag', found.tag);
    c.header('Cache-Control', 'no-store');
    return c.text(found.text);
  });
  /** Whether the text is still the one that the request goes by. */
  const mayWrite = (found: Kept | undefined, match: string | undefined, noneMatch: string | undefined): boolean =>
    (noneMatch !== '*' || found === undefined) && (match === undefined || match === found?.tag);
  app.put('/:desk/:key', async (c) => {
    const [desk, key] = [deskOf(c.req.param('desk')), c.req.param('key')];
    const text = await c.req.text();
    const found = desk.get(key);
    if (!mayWrite(found, c.req.header('If-Match'), c.req.header('If-None-Match')))
      return c.json({ problem: 'Another client has written it meanwhile.' }, 412);
    const tag = `"${++written}"`;
    desk.set(key, { text, tag });
    c.header('ETag', tag);
    return c.body(null, 204);
  });
  app.delete('/:desk/:key', (c) => {
    const [desk, key] = [deskOf(c.req.param('desk')), c.req.param('key')];
    const found = desk.get(key);
    if (!found) return c.json({ problem: 'Nothing is kept there.' }, 404);
    if (!mayWrite(found, c.req.header('If-Match'), undefined))
      return c.json({ problem: 'Another client has written it meanwhile.' }, 412);
    desk.delete(key);
    return c.body(null, 204);
  });
  return app;
}
