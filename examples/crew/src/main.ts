import { provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { createRuntime } from 'floe';
import { provideRuntime } from 'floe/angular';
import { webStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import './crew.css';
import { CrewPage } from './crew-page';
import { office, stores } from './model';
import { localOffice } from './office';

const runtime = createRuntime({
  stores,
  needs: [office.by(localOffice)],
  storage: webStorage('local', { prefix: 'crew' }),
  trace: import.meta.env.DEV ? recording() : undefined,
});

void bootstrapApplication(CrewPage, { providers: [provideZonelessChangeDetection(), provideRuntime(runtime)] });

if (import.meta.env.DEV)
  void import('floe/inspector').then(({ showInspector }) => showInspector(runtime, { folded: true }));
