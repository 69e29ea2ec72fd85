// The page that `floe inspect` serves: one session, as the command opened it. Its address holds the token.
import { knowTables } from '../entities/internal.js';
import { httpChannel } from './in-page/http-channel.js';
import { defineInspector } from './interface/inspector.js';
import { Session } from './interface/session.js';

const given = new URLSearchParams(location.hash.slice(1));
defineInspector();
// Files may hold tables.
knowTables();
const element = document.createElement('floe-inspector');
element.dock = 'page';
const name = given.get('name') ?? 'A session';
const session: Session = new Session(
  httpChannel('', given.get('token') ?? '', (why) => session.end(why)),
  name,
);
element.sessions = [session];
document.title = `${name} · Floe inspector`;
document.body.append(element);
