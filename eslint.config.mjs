import js from "@eslint/js";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** What may import what stands in .dependency-cruiser.mjs. */
const PURE =
  "The core computes the same from the same: it asks no clock, no randomness, no environment and no network.";

export default tseslint.config(
  { ignores: [".next/", ".next-path/", ".stryker-tmp/", "dist/", ".data/", "node_modules/", "next-env.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  {
    languageOptions: {
      globals: {
        process: "readonly",
        console: "readonly",
        fetch: "readonly",
        setTimeout: "readonly",
        clearTimeout: "readonly",
        setInterval: "readonly",
        clearInterval: "readonly",
        URL: "readonly",
        Buffer: "readonly",
        performance: "readonly",
        document: "readonly",
        localStorage: "readonly",
      },
    },
    rules: {
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "@typescript-eslint/no-invalid-void-type": "off",
      "no-empty": "off",
      // Control characters in data are what this work is about.
      "no-control-regex": "off",
      "@typescript-eslint/no-dynamic-delete": "off",
      "no-duplicate-imports": ["error", { allowSeparateTypeImports: true }],
      eqeqeq: "error",
      "no-eval": "error",
      "no-implied-eval": "error",
    },
  },
  {
    files: ["src/core/**"],
    rules: {
      "no-restricted-globals": [
        "error",
        ...["process", "window", "document", "performance", "crypto", "setTimeout", "setInterval", "fetch"].map(
          (name) => ({
            name,
            message: PURE,
          }),
        ),
      ],
      "no-restricted-properties": [
        "error",
        { object: "Date", property: "now", message: PURE },
        { object: "Math", property: "random", message: PURE },
      ],
      "no-restricted-syntax": [
        "error",
        { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: PURE },
        { selector: "CallExpression[callee.name='Date']", message: PURE },
      ],
    },
  },
  {
    files: ["src/ui/**"],
    plugins: { "react-hooks": reactHooks },
    rules: reactHooks.configs.recommended.rules,
  },
);
