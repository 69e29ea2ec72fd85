// The parts of the interface that are loaded on demand: what one does next.
import { defineCommandForms } from './command-forms.js';
import { defineDerived } from './derived.js';
import { defineFigures } from './figures.js';
import { defineFiles } from './files.js';
import { defineFind } from './find.js';
import { defineKeys } from './keys.js';
import { definePins } from './pins.js';
import { defineStored } from './stored.js';
import { defineTable } from './table.js';
import { defineTasks } from './tasks.js';
import { defineWhatIf } from './what-if.js';

export function defineMore(): void {
  defineCommandForms();
  defineDerived();
  defineFigures();
  defineFiles();
  defineFind();
  defineKeys();
  definePins();
  defineStored();
  defineWhatIf();
  defineTable();
  defineTasks();
}
