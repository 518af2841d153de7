import js from '@eslint/js'
import jsxA11y from 'eslint-plugin-jsx-a11y'
import reactHooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  tseslint.configs.recommendedTypeChecked,
  jsxA11y.flatConfigs.recommended,
  reactHooks.configs.flat.recommended,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  {
    rules: {
      // What scrolls is reached by keyboard.
      'jsx-a11y/no-noninteractive-tabindex': ['error', { tags: ['ul', 'pre'], roles: ['region', 'group', 'rowgroup'] }],
      // Whoever opens a form begins in its first field.
      'jsx-a11y/no-autofocus': 'off',
      // What is taken apart to be left out.
      '@typescript-eslint/no-unused-vars': ['error', { varsIgnorePattern: '^_', argsIgnorePattern: '^_' }],
      // For a compiler that is not used here.
      'react-hooks/incompatible-library': 'off',
    },
  },
  { files: ['*.js', '*.ts'], extends: [tseslint.configs.disableTypeChecked] },
)
