// floe/telemetry: transitions and tasks as OpenTelemetry spans.
export { telemetry } from './telemetry.js';
export type { TelemetryOptions } from './telemetry.js';
