import js from "@eslint/js";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import { defineConfig } from "eslint/config";
import ts from "typescript-eslint";

export default defineConfig(
  { ignores: ["dist", "node_modules", "eslint.config.js", "src/api/schema.d.ts", "src/api/installation.d.ts"] },
  js.configs.recommended,
  ts.configs.strictTypeChecked,
  ts.configs.stylisticTypeChecked,
  a11y.flatConfigs.strict,
  hooks.configs.flat.recommended,
  {
    languageOptions: {
      parserOptions: {
        projectService: true,
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      // The compiler that this warns about is not used.
      "react-hooks/incompatible-library": "off",
      // A canvas that shows a picture is a picture.
      "jsx-a11y/no-interactive-element-to-noninteractive-role": ["error", { canvas: ["img"] }],
      // A grid of our own rows takes the keyboard itself.
      "jsx-a11y/no-noninteractive-tabindex": ["error", { roles: ["grid", "img", "group"], tags: [] }],
    },
  },
);
