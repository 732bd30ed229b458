import js from '@eslint/js';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['src/client', 'dist'] },
  js.configs.recommended,
  ...ts.configs.strict,
  hooks.configs.flat['recommended-latest'],
  a11y.flatConfigs.strict,
  {
    rules: {
      'react-hooks/incompatible-library': 'off',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/no-explicit-any': 'error',
      'max-len': ['error', { code: 110, ignoreUrls: true }],
      // What scrolls can be reached by key: regions, lists and trees hold the focus for their arrows.
      'jsx-a11y/no-noninteractive-tabindex': [
        'error',
        { tags: ['aside'], roles: ['tabpanel', 'region', 'list', 'table', 'group'] },
      ],
      // Files are dropped on sections; each has a button beside it that does the same.
      'jsx-a11y/no-noninteractive-element-interactions': [
        'error',
        { handlers: ['onClick', 'onMouseDown', 'onMouseUp', 'onKeyDown', 'onKeyUp', 'onKeyPress'] },
      ],
      // A form that is opened begins with its first field; the components take care of the focus.
      'jsx-a11y/no-autofocus': ['error', { ignoreNonDOM: true }],
    },
  },
);
