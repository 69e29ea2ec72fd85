import { readFileSync } from 'node:fs';
// A trace may hold tables.
import '../entities/index.js';
import { readTrace, type TraceFile } from '../trace/index.js';
import { fileUnreadable } from './errors.js';

/** The text of a file; `-` is standard input. */
export function readText(file: string): string {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (cause) {
    throw fileUnreadable(file, cause);
  }
}

/** The trace in a file. */
export const readTraceFile = (file: string): TraceFile => readTrace(readText(file));
