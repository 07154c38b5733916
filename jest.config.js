const { availableParallelism } = require('node:os');

/** Tests stand beside the code; those in test/ drive the built program. */
// Reading further certificates at every start of Node.js takes longer than most of what is started here.
delete process.env.NODE_EXTRA_CA_CERTS;

module.exports = {
  testEnvironment: 'node',
  roots: ['<rootDir>/src', '<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  reporters: ['default', '<rootDir>/test/support/left-out.js'],
  globalSetup: '<rootDir>/test/support/up-to-date.js',
  transform: { '^.+\\.ts$': '<rootDir>/test/support/compile.js' },
  resolver: '<rootDir>/test/support/resolve-built.js',
  // Some of the time is waiting for servers.
  maxWorkers: availableParallelism() + 1,
  testTimeout: 60000,
};
