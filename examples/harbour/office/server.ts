// The harbour office: a stand-in HTTP server on the loopback address, with seeded data, and delay and failure on demand.
import { serve } from '@hono/node-server';
import { serveStatic } from '@hono/node-server/serve-static';
import { Hono } from 'hono';
import { setTimeout as wait } from 'node:timers/promises';
import type { AddressInfo } from 'node:net';
import type { Plan, Vessel, Visit } from '../src/model/types.js';
import { anchorages, berths, NOW, randomFrom, vessels, visitsOf } from './data.js';
import { atMost, bodyOf, jsonOnly, nameSchema, ownPagesOnly, placeSchema, planSchema } from './door.js';
import { keptApp } from './records.js';

/** Bytes of a body: of a request, and of a text that is kept. */
const MOST_SENT = 10_000;
const MOST_KEPT = 16 * 1024 * 1024;

export interface OfficeOptions {
  /** The port to listen on; 0 takes a free one. */
  readonly port: number;
  /** The data's seed. Default: 7. */
  readonly seed?: number;
  /** Milliseconds before each response. Default: 0. A request can ask for its own with `?delay=`. */
  readonly delay?: number;
  /** Milliseconds that the office thinks about a berth before it confirms or refuses. Default: 1000. */
  readonly thinking?: number;
  /** The share of requests that fail, 0 to 1. Default: 0. A request can ask for a failure with `?fail=503`. */
  readonly fail?: number;
  /** A folder with the built page, served at `/`. Default: none. */
  readonly page?: string;
}

export interface RunningOffice {
  /** `http://127.0.0.1:PORT` */
  readonly address: string;
  close(): Promise<void>;
}

/** The office's responses, without a server around them. */
export function officeApp({
  seed = 7,
  delay = 0,
  thinking = 1000,
  fail = 0,
}: Omit<OfficeOptions, 'port' | 'page'> = {}): Hono {
  const random = randomFrom(seed);
  const days = new Map<string, Visit[]>();
  const visitsOn = (day: string): Visit[] => {
    const known = days.get(day) ?? visitsOf(day, seed);
    days.set(day, known);
    return known;
  };
  const names = new Map<string, string>();
  const named = (vessel: Vessel): Vessel => ({ ...vessel, name: names.get(vessel.hull) ?? vessel.name });
  const reported = (visit: Visit): Visit => ({ ...visit, vessel: named(visit.vessel) });
  const app = new Hono();
  app.onError((_error, c) => c.json({ problem: 'Something went wrong at the office.' }, 500));
  app.use('/office/*', ownPagesOnly);
  app.use('/office/kept/*', atMost(MOST_KEPT));
  app.use('/office/*', async (c, next) =>
    c.req.path.startsWith('/office/kept/') ? next() : atMost(MOST_SENT)(c, next),
  );
  app.use('/office/*', jsonOnly);
  app.use('/office/*', async (c, next) => {
    await wait(Number(c.req.query('delay') ?? delay));
    const status = Number(c.req.query('fail') ?? (random() < fail ? 503 : 0));
    if (status >= 400 && status <= 599)
      return c.json({ problem: 'The office is closed for a moment. Try again.' }, status as 503);
    return next();
  });
  app.route('/office/kept', keptApp());
  app.get('/office/port', (c) => c.json({ berths, vessels: vessels.map(named) }));
  app.get('/office/days/:day/visits', (c) => {
    const day = c.req.param('day');
    if (!/^\d{4}-\d{2}-\d{2}$/.test(day) || Number.isNaN(Date.parse(day)))
      return c.json({ problem: `'${day}' is not a day.` }, 400);
    return c.json(visitsOn(day).map(reported));
  });
  app.post('/office/visits', async (c) => {
    const sent = await bodyOf(c, planSchema);
    if ('problem' in sent) return c.json(sent, 400);
    const plan: Plan = sent.body;
    const vessel = vessels.find(({ hull }) => hull === plan.hull);
    const place = [...berths, ...anchorages].find(({ id }) => id === plan.place);
    if (!vessel || !place) return c.json({ problem: 'A plan names a vessel and a place that the port knows.' }, 400);
    if (!(Date.parse(plan.departs) > Date.parse(plan.arrives)))
      return c.json({ problem: 'A visit departs after it arrives.' }, 400);
    const day = plan.arrives.slice(0, 10);
    const there = visitsOn(day);
    const visit: Visit = {
      id: `v${day.slice(8)}${String(there.length + 1).padStart(2, '0')}`,
      phase: 'expected',
      arrives: plan.arrives,
      departs: plan.departs,
      priority: 'normal',
      remarks: 'Planned by the control room',
      vessel,
      place,
      services: [],
    };
    there.push(visit);
    return c.json(reported(visit), 201);
  });
  app.post('/office/visits/:id/move-on', (c) => {
    const id = c.req.param('id');
    for (const list of days.values()) {
      const index = list.findIndex((visit) => visit.id === id);
      const visit = list[index];
      if (!visit) continue;
      if (visit.phase !== 'expected' && visit.phase !== 'alongside')
        return c.json({ problem: `The visit is ${visit.phase}: it cannot move on.` }, 409);
      const there = list.find(
        (other) => other.place.kind === 'berth' && other.place.id === visit.place.id && other.phase === 'alongside',
      );
      if (visit.phase === 'expected' && there)
        return c.json({ problem: `${visit.place.id} is taken: ${named(there.vessel).name} lies there.` }, 409);
      const moved: Visit =
        visit.phase === 'expected'
          ? { ...visit, phase: 'alongside', arrives: NOW }
          : { ...visit, phase: 'departed', departs: NOW };
      list[index] = moved;
      return c.json(reported(moved));
    }
    return c.json({ problem: `There is no visit '${id}'.` }, 404);
  });
  /** The visit under an id, and how to put another in its place. */
  const find = (id: string) => {
    for (const list of days.values()) {
      const index = list.findIndex((visit) => visit.id === id);
      if (index >= 0) return { visit: list[index], list, replace: (next: Visit) => (list[index] = next) };
    }
    return undefined;
  };
  app.post('/office/visits/:id/place', async (c) => {
    const sent = await bodyOf(c, placeSchema);
    if ('problem' in sent) return c.json(sent, 400);
    const { place } = sent.body;
    await wait(thinking);
    const found = find(c.req.param('id'));
    const berth = berths.find(({ id }) => id === place);
    if (!found || !berth) return c.json({ problem: 'There is no such visit, or no such berth.' }, 404);
    const { visit, list, replace } = found;
    const { vessel } = visit;
    if (visit.phase !== 'expected') return c.json({ problem: `The visit is ${visit.phase}.` }, 409);
    if (vessel.length > berth.length || vessel.draught > berth.depth)
      return c.json(
        { problem: `${named(vessel).name} does not fit: ${berth.length} m long, ${berth.depth} m deep.` },
        409,
      );
    const clash = list.find(
      (other) =>
        other.id !== visit.id &&
        other.place.id === berth.id &&
        (other.phase === 'expected' || other.phase === 'alongside') &&
        other.arrives < (visit.departs ?? '9') &&
        (other.departs ?? '9') > visit.arrives,
    );
    if (clash) return c.json({ problem: `${named(clash.vessel).name} lies there at that time.` }, 409);
    return c.json(reported(replace({ ...visit, place: berth })));
  });
  app.post('/office/visits/:id/cancel', (c) => {
    const found = find(c.req.param('id'));
    if (!found) return c.json({ problem: `There is no visit '${c.req.param('id')}'.` }, 404);
    const { visit, replace } = found;
    if (visit.phase !== 'expected') return c.json({ problem: `The visit is ${visit.phase}.` }, 409);
    return c.json(reported(replace({ ...visit, phase: 'cancelled' })));
  });
  /** Each vessel goes round its own way: a little further with every question. */
  let turn = 0;
  app.get('/office/positions', (c) => {
    turn++;
    return c.json(
      vessels.map(({ hull }, i) => ({
        hull,
        north: Number((6 * Math.sin(i + turn / 50)).toFixed(3)),
        east: Number((9 * Math.cos(i * 2 + turn / 60)).toFixed(3)),
      })),
    );
  });
  app.post('/office/vessels/:hull/name', async (c) => {
    const vessel = vessels.find(({ hull }) => hull === c.req.param('hull'));
    if (!vessel) return c.json({ problem: `There is no vessel '${c.req.param('hull')}'.` }, 404);
    const sent = await bodyOf(c, nameSchema);
    if ('problem' in sent) return c.json(sent, 400);
    names.set(vessel.hull, sent.body.name);
    return c.json(named(vessel));
  });
  return app;
}

/** Starts the office on 127.0.0.1. Rejects with the system's error when the port is taken. */
export function startOffice({ port, page, ...options }: OfficeOptions): Promise<RunningOffice> {
  const app = officeApp(options);
  if (page) {
    app.use('/*', serveStatic({ root: page }));
    // A visit has an address of its own; the page finds it.
    app.get('/visits/*', serveStatic({ root: page, path: 'index.html' }));
  }
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, (info: AddressInfo) =>
      resolve({
        address: `http://127.0.0.1:${info.port}`,
        close: () =>
          new Promise((done) => {
            server.close(() => done());
            if ('closeAllConnections' in server) server.closeAllConnections();
          }),
      }),
    );
    server.once('error', reject);
  });
}
