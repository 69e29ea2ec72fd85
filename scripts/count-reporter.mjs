// A Jest reporter that leaves the counts of a run in a file, for `npm test` to print last.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

/** How long a run may take to end by itself after its last test, in milliseconds. */
const GRACE = 60_000;

/** Ends a run that something left open keeps from ending, as a failure that says what is open. */
function endNevertheless() {
  setTimeout(() => {
    const open = process.getActiveResourcesInfo().join(', ');
    process.stderr.write(`The tests have run, but their process does not end: open are ${open}\n`);
    process.exit(1);
  }, GRACE).unref();
}

export default class CountReporter {
  constructor(_config, { file }) {
    this.file = file;
  }
  onRunComplete(_contexts, { numPassedTests, numFailedTests, numRuntimeErrorTestSuites, numTotalTests }) {
    mkdirSync(dirname(this.file), { recursive: true });
    writeFileSync(
      this.file,
      JSON.stringify({
        passed: numPassedTests,
        failed: numFailedTests + numRuntimeErrorTestSuites,
        total: numTotalTests,
      }),
    );
    endNevertheless();
  }
}
