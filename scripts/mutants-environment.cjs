// For mutation testing: Node, and after the first test that fails in a file the others are not run. Jest's own `bail` stops
// between files only.
const { TestEnvironment } = require('jest-environment-node');

module.exports = class extends TestEnvironment {
  failed = false;

  handleTestEvent({ name, test }) {
    if (name === 'test_done' && test.errors.length > 0) this.failed = true;
    if (name === 'test_start' && this.failed) test.mode = 'skip';
  }
};
