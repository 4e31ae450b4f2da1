import js from '@eslint/js';
import angular from 'angular-eslint';
import prettier from 'eslint-config-prettier';
import ts from 'typescript-eslint';

/** Imports go through a folder's index.ts only. */
const publicFaces = {
  regex: '^(\\.\\./)+(values|schema|files|survey|geometry|changes|identity|titleblocks|bom|vault|exchange|trace|forms|start|grid)/(?!(step|dxf|opc)$).+',
  message: "Import the folder's index.ts, not a file behind it.",
};
const formatFaces = { regex: '^(\\.\\./|\\./)*(files/)?(step|dxf|opc)/.+', message: "Import the format's index.ts, not a file behind it." };

const forbidden = (patterns) => ({ '@typescript-eslint/no-restricted-imports': ['error', { patterns }] });

/** Server layers: a folder may import earlier rows, never its own row or later ones. */
const LAYERS = [
  ['platform'],
  ['users'],
  ['jobs'],
  ['library'],
  ['geometry'],
  ['schema'],
  ['values'],
  ['changes'],
  ['titleblocks', 'survey'],
  ['cleanup', 'foreign', 'exchange', 'vault', 'bom', 'projects', 'naming', 'rollout', 'lists', 'startfiles', 'upkeep'],
  ['overview'],
  ['services', 'worker'],
  ['routes'],
];
const serverBase = { regex: '^@rule/(web|vault)|^@angular|^(\\.\\./)+(web|vault-stand-in)/', message: 'The server imports core and contract.' };
const layer = (row, folder) => {
  const later = LAYERS.slice(row)
    .flat()
    .filter((other) => other !== folder);
  return {
    files: [`apps/server/src/${folder}/**/*.ts`],
    rules: forbidden([
      serverBase,
      { regex: `^(\\.\\./)+(${later.join('|')})(/|$)`, message: `${folder} stands below this in the layers of the server: see docs/architecture.md.` },
    ]),
  };
};

const webBase = { regex: '^@rule/(server|demo)', message: 'The web application imports core and contract.' };
const tableTypes = {
  regex: '^@rule/contract/(checks|routes)$',
  message: 'Checks stay on the server: the page takes the types of the route table alone.',
  allowTypeImports: true,
};

const STATIONS = ['overview', 'survey', 'schema', 'forms', 'values', 'title-blocks', 'bom', 'vault', 'exchange', 'history', 'settings', 'file'];

/** Architecture rules. */
export default ts.config(
  { ignores: ['**/node_modules', '**/dist*', 'var', '**/.angular', 'test-results', 'packages/demo/library', 'packages/core/wasm'] },
  js.configs.recommended,
  {
    files: ['**/*.ts'],
    extends: [ts.configs.recommendedTypeChecked, ts.configs.stylisticTypeChecked],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/prefer-nullish-coalescing': ['error', { ignorePrimitives: { string: true } }],
      '@typescript-eslint/non-nullable-type-assertion-style': 'off',
      '@typescript-eslint/consistent-type-definitions': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/dot-notation': ['error', { allowIndexSignaturePropertyAccess: true, allowPrivateClassPropertyAccess: true }],
      'no-control-regex': 'off',
    },
  },
  {
    // The core has no interface, database, network or clock.
    files: ['packages/core/src/**/*.ts'],
    rules: {
      ...forbidden([
        publicFaces,
        formatFaces,
        {
          regex: '^(node:|fs$|path$|http|pg$|sequelize|express|@angular|primeng|rxjs|joi|@rule/)',
          message: 'The core imports nothing but small pure libraries.',
        },
      ]),
      'no-restricted-globals': [
        'error',
        ...['fetch', 'XMLHttpRequest', 'document', 'window', 'localStorage', 'process', 'Buffer', 'setTimeout', 'setInterval', 'performance'].map((name) => ({
          name,
          message: 'The core has no interface, network or clock.',
        })),
      ],
      'no-restricted-syntax': [
        'error',
        { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'The core has no clock: the instant comes in as an argument.' },
        { selector: "MemberExpression[object.name='Date'][property.name='now']", message: 'The core has no clock: the instant comes in as an argument.' },
        { selector: "MemberExpression[object.name='Math'][property.name='random']", message: 'The core gives the same answer every time.' },
      ],
    },
  },
  {
    files: ['packages/core/src/files/**/*.ts'],
    rules: forbidden([
      publicFaces,
      formatFaces,
      { regex: '^(\\.\\./)+(schema|changes|identity|titleblocks|bom|vault|exchange|trace)$', message: 'Formats know nothing of schema.' },
    ]),
  },
  {
    files: ['packages/core/src/{values,schema}/**/*.ts'],
    rules: forbidden([publicFaces, { regex: '^(\\.\\./)+files', message: 'Schema knows nothing of formats.' }]),
  },
  { files: ['packages/contract/src/**/*.ts'], rules: forbidden([{ regex: '^@rule/(?!core)', message: 'The contract imports the core alone.' }]) },
  {
    files: ['apps/server/src/**/*.ts'],
    rules: {
      ...forbidden([serverBase]),
      'no-restricted-syntax': [
        'error',
        {
          // Method calls are tracked at run time; see Db.
          selector: "CallExpression[callee.property.name='transaction'] > :function MemberExpression[object.type='ThisExpression'][property.name='db']",
          message: 'Work inside a transaction uses its own connection, never the pool.',
        },
        {
          selector: 'Literal[value=/pg_advisory/], TemplateElement[value.raw=/pg_advisory/]',
          message: 'Advisory locks have their names in platform/locks.ts.',
        },
        {
          selector: 'TemplateElement[value.raw=/(^|\\n)(?=[^\\n]{181})[^\\n]*\\b(SELECT|FROM|JOIN|WHERE|INSERT|UPDATE)\\b/]',
          message: 'A long statement stands on several lines, a clause on each.',
        },
      ],
    },
  },
  { files: ['apps/server/src/platform/{locks,migrations}.ts'], rules: { 'no-restricted-syntax': 'off' } },
  ...LAYERS.flatMap((folders, row) => folders.map((folder) => layer(row, folder))),
  { files: ['apps/cli/src/**/*.ts'], rules: forbidden([{ regex: '^@rule/(?!core|contract)', message: 'The command line imports core and contract.' }]) },
  { files: ['apps/vault/src/**/*.ts'], rules: forbidden([{ regex: '^@rule/(?!demo$)', message: 'The vault stand-in knows nothing of Rule.' }]) },
  {
    files: ['apps/web/src/**/*.ts'],
    extends: [angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      ...forbidden([
        webBase,
        tableTypes,
        { regex: '^\\.\\./(shared|shell|charts|clauses|entry-form|rule-field)/.+', message: 'Import the public face of the folder.' },
      ]),
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'rule', style: 'kebab-case' }],
      '@angular-eslint/component-class-suffix': 'off',
      '@angular-eslint/no-input-rename': 'off',
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
      '@typescript-eslint/unbound-method': 'off',
    },
  },
  {
    files: ['apps/web/src/**/*.html'],
    extends: [angular.configs.templateRecommended, angular.configs.templateAccessibility],
    // It takes its name from the label around it.
    rules: { '@angular-eslint/template/label-has-associated-control': ['error', { controlComponents: ['rule-check', 'rule-radio', 'rule-select', 'rule-choices'] }] },
  },
  {
    // Whatever the kit wraps comes from the kit.
    files: ['apps/web/src/**/*.html'],
    ignores: ['apps/web/src/app/kit/**'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: 'Element[name=/^(table|select|progress|p-(table|select|multiselect|checkbox|radiobutton|datepicker|progressbar))$/]',
          message: 'The kit has it: see docs/contributing.md.',
        },
        {
          selector: "Element[name='input'] > TextAttribute[name='type'][value=/^(date|checkbox|radio|file)$/]",
          message: 'The kit has it: see docs/contributing.md.',
        },
      ],
    },
  },
  {
    // Grid and palette handle keys on the focused element and use aria-activedescendant.
    files: ['apps/web/src/app/values/grid.ts/**', 'apps/web/src/app/shell/palette.ts/**'],
    rules: { '@angular-eslint/template/click-events-have-key-events': 'off', '@angular-eslint/template/interactive-supports-focus': 'off' },
  },
  {
    // Who asks the server keeps the answers: stores, and the state that all share.
    files: ['apps/web/src/app/**/*.ts'],
    ignores: ['**/*.store.ts', '**/*.state.ts', '**/*.spec.ts', 'apps/web/src/app/shared/{answer,api,server}.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "CallExpression[callee.name='inject'] > Identifier[name=/^(Api|Server|HttpClient)$/]",
          message: 'Components ask stores, never the server: see docs/architecture.md.',
        },
      ],
    },
  },
  // Stations never import each other; shared code moves to shared/.
  ...STATIONS.map((station) => ({
    files: [`apps/web/src/app/${station}/**/*.ts`],
    rules: forbidden([
      { regex: `^\\.\\./(${[...STATIONS.filter((other) => other !== station), 'shell'].join('|')})(/|$)`, message: 'A station never imports another one.' },
      { regex: '^\\.\\./(shared|charts|clauses|entry-form|rule-field)/.+', message: 'Import the public face of the folder.' },
      webBase,
      tableTypes,
    ]),
  })),
  { files: ['**/*.spec.ts'], rules: { '@angular-eslint/prefer-on-push-component-change-detection': 'off' } },
  {
    files: ['**/test/**/*.ts', '**/*.spec.ts', 'e2e/**/*.ts', 'bench/**/*.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
    },
  },
  {
    files: ['**/*.mjs'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        Buffer: 'readonly',
        setTimeout: 'readonly',
        setInterval: 'readonly',
        clearInterval: 'readonly',
        clearTimeout: 'readonly',
        fetch: 'readonly',
        performance: 'readonly',
      },
    },
  },
  prettier,
);
