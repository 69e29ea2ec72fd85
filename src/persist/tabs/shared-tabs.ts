// Sharing of state between the tabs of one browser, as an application asks for it.
import { badOption, type FloeError, rebasing } from '../../core/internal.js';
import { SHARES, type TabSharing } from '../sharing.js';
import { ForeignStores } from './foreign-stores.js';
import { browserLink } from './link.js';
import type { TabLink } from './tab-link.js';
import { StorageSide } from './storage-side.js';
import { Tabs } from './tabs.js';

/**
 * Keeps the tabs of one browser in step: what one does, to the parts that are kept, is a step in all of them, and only one
 * of them writes. Without it each tab has its own state, and what several of them store is joined.
 * @param link how the tabs reach each other: called once a runtime; what it reports becomes a problem. Default: messages by
 * `BroadcastChannel`, and one tab chosen by the Web Locks API
 * @example
 * createRuntime({ stores: [notes], storage: webStorage('local', { prefix: 'harbour', tabs: sharedTabs() }) });
 */
export const sharedTabs = (link?: (report: (problem: FloeError) => void) => TabLink | undefined): TabSharing => ({
  [SHARES]: (place, report) => {
    if (!link && place === '')
      throw badOption(
        'storageIn',
        'tabs',
        'takes sharedTabs(link): how the tabs that write to this place reach each other',
      );
    const found = link ? link(report) : browserLink(place, report);
    return (
      found && {
        late: rebasing,
        hosted: (engine, opening) => new ForeignStores(engine, opening),
        tabs: (session, parts) => new Tabs(session.host, found, new StorageSide(session, parts)),
      }
    );
  },
});
