const swc = ['@swc/jest', {}];
const names = {
  '^@rule/core/files/(step|dxf)$': '<rootDir>/packages/core/src/files/$1/index.ts',
  '^@rule/core/(.*)$': '<rootDir>/packages/core/src/$1/index.ts',
  '^@rule/contract$': '<rootDir>/packages/contract/src/index.ts',
  '^@rule/contract/(.*)$': '<rootDir>/packages/contract/src/$1/index.ts',
  '^@rule/demo$': '<rootDir>/packages/demo/src/index.ts',
};
const node = {
  rootDir: import.meta.dirname,
  testEnvironment: 'node',
  transform: { '\\.ts$': swc },
  setupFilesAfterEnv: ['<rootDir>/scripts/lib/jest-patience.mjs'],
  extensionsToTreatAsEsm: ['.ts'],
  moduleNameMapper: names,
};

/** Unit tests of the core, server tests on real PostgreSQL, and component tests. */
export default {
  projects: [
    { ...node, displayName: 'core', testMatch: ['<rootDir>/packages/*/test/**/*.test.ts'] },
    {
      ...node,
      displayName: 'server',
      testMatch: ['<rootDir>/apps/server/test/**/*.test.ts', '<rootDir>/apps/vault/test/**/*.test.ts', '<rootDir>/apps/cli/test/**/*.test.ts'],
    },
    '<rootDir>/apps/web/jest.config.mjs',
  ],
};
