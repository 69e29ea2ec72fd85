import { log } from '@model/log';
     import { level } from './tide.json';
     import { unit } from './unit.cjs';
     import { tide } from './tide';
     export { log, tide };
     export const about: string = `${level} ${unit}`;