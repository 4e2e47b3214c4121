import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.ts"] },
  ...tseslint.configs.recommendedTypeChecked,
  { languageOptions: { parserOptions: { project: "./tsconfig.json" } } },
  {
    files: ["src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": reactHooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      // The server's answers are described by schema.ts; what has a default there may still be missing here.
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-unnecessary-type-assertion": "error",
    },
  },
  { files: ["*.js", "*.ts"], ...tseslint.configs.disableTypeChecked },
);
