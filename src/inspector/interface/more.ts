// The parts of the interface that are loaded on demand: what one does next.
import { defineCommandForms } from './command-forms.js';
import { defineDerived } from './derived.js';
import { defineFigures } from './figures.js';
import { defineFiles } from './files.js';
import { defineFind } from './find.js';
import { defineKeys } from './keys.js';
import { defineModel } from './model.js';
import { definePins } from './pins.js';
import { defineStored } from './stored.js';
import { defineTable } from './table.js';
import { defineTasks } from './tasks.js';
import { defineHistory } from './value-history.js';
import { defineWhatIf } from './what-if.js';
import { modelStyles } from './model.styles.js';
import { moreStyles } from './more.styles.js';

export function defineMore(): void {
  defineCommandForms();
  defineDerived();
  defineFigures();
  defineFiles();
  defineFind();
  defineHistory();
  defineKeys();
  defineModel();
  definePins();
  defineStored();
  defineWhatIf();
  defineTable();
  defineTasks();
}

/** Their look. */
export const stylesOfMore = [moreStyles, modelStyles];
