// For mutation testing: the quick tests first, since one failure is enough.
const Sequencer = require('@jest/test-sequencer').default;

module.exports = class QuickFirst extends Sequencer {
  sort(tests) {
    const slow = (test) => (test.path.includes('property') ? 1 : 0);
    return [...tests].sort((a, b) => slow(a) - slow(b));
  }
};
