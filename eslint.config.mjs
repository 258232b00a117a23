import js from "@eslint/js";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** Imports point one way: core <- store, engine <- app, cli; core <- ui <- app. */
const noImports = (message, ...patterns) => [
  "error",
  { patterns: patterns.map((group) => ({ group: [group], message })) },
];
const PURE = "core is pure: no React, no Next, no database, no files, no clock.";

export default tseslint.config(
  { ignores: [".next/", ".next-path/", "dist/", ".data/", "node_modules/", "next-env.d.ts"] },
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
      eqeqeq: "error",
      "no-eval": "error",
      "no-implied-eval": "error",
    },
  },
  {
    files: ["src/core/**"],
    rules: {
      "no-restricted-imports": noImports(
        PURE,
        "react*",
        "next*",
        "pg*",
        "node:*",
        "fs",
        "@/store/*",
        "@/engine/*",
        "@/ui/*",
        "@/app/*",
        "@/cli/*",
      ),
      "no-restricted-globals": ["error", "process", "window", "document"],
      "no-restricted-properties": [
        "error",
        { object: "Date", property: "now", message: PURE },
        { object: "Math", property: "random", message: PURE },
      ],
    },
  },
  {
    files: ["src/store/**", "src/engine/**"],
    rules: {
      "no-restricted-imports": noImports(
        "store and engine know nothing of screens.",
        "react*",
        "next*",
        "@/ui/*",
        "@/app/*",
        "@/cli/*",
      ),
    },
  },
  {
    files: ["src/ui/**"],
    plugins: { "react-hooks": reactHooks },
    rules: {
      ...reactHooks.configs.recommended.rules,
      "no-restricted-imports": noImports("ui is below app.", "@/app/*", "@/cli/*"),
      "@typescript-eslint/no-restricted-imports": [
        "error",
        {
          patterns: [
            {
              group: ["@/store/*", "@/engine/*"],
              allowTypeImports: true,
              message: "ui asks the API; only types may come from store and engine.",
            },
          ],
        },
      ],
    },
  },
);
