// For mutation testing: the same random programs each time, and the first that fails is enough.
require('fast-check').configureGlobal({ seed: 42, endOnFailure: true });
