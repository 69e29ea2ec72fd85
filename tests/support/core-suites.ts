// All suites of the core in one file, for mutation testing: what they share is then loaded once for each mutant.
import '../core/corners.test.js';
import '../core/patch.test.js';
import '../core/rules.test.js';
import '../core/tasks.test.js';
import '../core/interleavings.test.js';
import '../core/optimistic.property.test.js';
import '../core/values.test.js';
import '../core/runtime.test.js';
import '../core/graph.property.test.js';
import '../core/selectors.property.test.js';
import '../core/draft.property.test.js';
import '../core/production.property.test.js';
import '../entities/table.property.test.js';
