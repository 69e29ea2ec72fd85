import { provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { provideRuntime } from 'floe/angular';
import './board.css';
import { Board } from './board.js';
import { runtime } from './runtime.js';

void bootstrapApplication(Board, { providers: [provideZonelessChangeDetection(), provideRuntime(runtime)] });
