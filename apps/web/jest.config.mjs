import presets from 'jest-preset-angular/presets/index.js';

const core = '<rootDir>/../../packages/core/src';

/** Component tests, in jsdom and without zone.js. */
export default {
  ...presets.createEsmPreset({ tsconfig: '<rootDir>/tsconfig.spec.json' }),
  rootDir: import.meta.dirname,
  displayName: 'web',
  testMatch: ['<rootDir>/src/**/*.spec.ts'],
  setupFilesAfterEnv: ['<rootDir>/src/test/setup.ts'],
  moduleNameMapper: {
    '^@rule/core/files/(step|dxf)$': `${core}/files/$1/index.ts`,
    '^@rule/core/(.*)$': `${core}/$1/index.ts`,
    '^@rule/contract$': '<rootDir>/../../packages/contract/src/index.ts',
  },
};
