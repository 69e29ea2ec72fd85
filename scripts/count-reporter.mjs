// A Jest reporter that leaves the counts of a run in a file, for `npm test` to print last.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

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
  }
}
