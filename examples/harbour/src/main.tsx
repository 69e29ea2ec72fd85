import '@mantine/core/styles.css';
import '@mantine/dates/styles.css';
import './ui/harbour.css';
import { createTheme, MantineProvider } from '@mantine/core';
import { DatesProvider } from '@mantine/dates';
import { createRuntime } from 'floe';
import { webStorage } from 'floe/persist';
import { RuntimeProvider } from 'floe/react';
import { recording } from 'floe/trace';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { stores } from './model/index.js';
import { httpOffice } from './office-client.js';
import { ControlRoom } from './ui/ControlRoom.js';
import { History } from './ui/History.js';
import { WorkProvider } from './ui/work-context.js';
import { workWith } from './work.js';

const runtime = createRuntime({
  stores,
  trace: recording(),
  storage: webStorage('local', { prefix: 'harbour' }),
  expose: 'harbour',
});

// `?delay=800` or `?fail=503` on the page's address is handed to the office, to see how the page takes it.
const work = workWith(runtime, httpOffice('', location.search.slice(1)));
void work.open();

const fontFamily = '"Segoe UI", Roboto, "Helvetica Neue", "Liberation Sans", Arial, sans-serif';
const theme = createTheme({
  primaryColor: 'teal',
  // Dark enough for white text on it.
  primaryShade: 9,
  fontFamily,
  headings: { fontFamily, fontWeight: '600' },
  defaultRadius: 'sm',
});

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <MantineProvider theme={theme}>
      <DatesProvider settings={{ firstDayOfWeek: 1 }}>
        <RuntimeProvider runtime={runtime}>
          <WorkProvider value={work}>
            <ControlRoom />
            <History trace={runtime.trace} />
          </WorkProvider>
        </RuntimeProvider>
      </DatesProvider>
    </MantineProvider>
  </StrictMode>,
);
