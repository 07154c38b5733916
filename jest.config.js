const { availableParallelism } = require('node:os');

/** Tests stand beside the code; those in test/ drive the built program. */
// Reading further certificates at every start of Node.js takes longer than most of what is started here.
delete process.env.NODE_EXTRA_CA_CERTS;

module.exports = {
  testEnvironment: 'node',
  roots: ['<rootDir>/src', '<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  globalSetup: '<rootDir>/test/support/up-to-date.js',
  transform: { '^.+\\.ts$': ['ts-jest', { diagnostics: false, tsconfig: 'tsconfig.json' }] },
  // Most of the time goes into the program that is tested, which runs beside; a quarter of it is waiting for servers.
  maxWorkers: availableParallelism() + 1,
  testTimeout: 60000,
};
