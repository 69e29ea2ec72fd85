// The page that `floe inspect` serves: its file, and the applications that are linked to it. Its address holds the token.
import { knowTables } from '../entities/internal.js';
import { ServedSessions } from './in-page/served-sessions.js';
import type { Channel } from './ends/index.js';
import { defineInspector } from './interface/inspector.js';
import { Session } from './interface/session.js';

const token = new URLSearchParams(location.hash.slice(1)).get('token') ?? '';
defineInspector();
// Files may hold tables.
knowTables();
const element = document.createElement('floe-inspector');
element.dock = 'page';
document.body.append(element);
const sessions = new WeakMap<Channel, Session>();
new ServedSessions(token, {
  begun(channel, name) {
    const session = new Session(channel, name);
    sessions.set(channel, session);
    element.addSession(session);
  },
  ended: (channel, why) => sessions.get(channel)?.end(why),
});
