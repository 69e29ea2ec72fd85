import { provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { provideRuntime } from 'floe/angular';
import './board.css';
import { Board } from './board';
import { runtime } from './runtime';

void bootstrapApplication(Board, { providers: [provideZonelessChangeDetection(), provideRuntime(runtime)] });
