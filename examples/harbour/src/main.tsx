import '@mantine/core/styles.css';
import '@mantine/dates/styles.css';
import './ui/harbour.css';
import { createTheme, MantineProvider } from '@mantine/core';
import { DatesProvider } from '@mantine/dates';
import { linkAddress } from 'floe/location';
import { sharedTabs, webStorage } from 'floe/persist';
import { RuntimeProvider } from 'floe/react';
import { recording } from 'floe/trace';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { confirmation, createRuntime } from 'floe';
import { address, askPositions, followPositions, office, openRoom, positionsArrived, stores } from './model/index.js';
import { httpOffice } from './office-client.js';
import { loadWhatOthersShow, sendWhereWritten } from './among-tabs.js';
import { ControlRoom } from './ui/ControlRoom.js';
import { askOfficer, Question } from './ui/Question.js';
import { Notice } from './ui/Notice.js';

const runtime = createRuntime({
  stores,
  // `?delay=800` or `?fail=503` on the page's address is handed to the office, to see how the page takes it.
  needs: [office.by(httpOffice('', location.search.slice(1)))],
  interceptors: [confirmation(askOfficer)],
  trace: recording({ ignore: [askPositions, positionsArrived] }),
  storage: webStorage('local', { prefix: 'harbour', tabs: sharedTabs() }),
  expose: 'harbour',
  // What a task fails with stands in its status, and the page says so.
  onProblem: ({ error }) => console.info(error),
});
linkAddress(runtime, address);
void runtime.run(openRoom());
void runtime.run(followPositions());
sendWhereWritten(runtime);
loadWhatOthersShow(runtime);

const fontFamily = '"Segoe UI", Roboto, "Helvetica Neue", "Liberation Sans", Arial, sans-serif';
const theme = createTheme({
  primaryColor: 'teal',
  // Dark enough for white text on it.
  primaryShade: 9,
  fontFamily,
  headings: { fontFamily, fontWeight: '600' },
  defaultRadius: 'sm',
});

// It is loaded on demand: the room does not wait for it.
void import('floe/inspector').then(({ showInspector }) => showInspector(runtime));

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <MantineProvider theme={theme}>
      <DatesProvider settings={{ firstDayOfWeek: 1 }}>
        <RuntimeProvider runtime={runtime}>
          <ControlRoom persistence={runtime.persistence} />
          <Notice />
          <Question />
        </RuntimeProvider>
      </DatesProvider>
    </MantineProvider>
  </StrictMode>,
);
