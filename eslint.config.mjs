import globals from "globals";

const strict = {
  eqeqeq: ["error", "always", { null: "ignore" }],
  "no-undef": "error",
  "no-unused-vars": "error",
  "no-var": "error",
  "prefer-const": "error",
  "no-shadow": "error",
  "no-implicit-globals": "error",
  "no-param-reassign": "error",
};

export default [
  {
    files: ["kalyptra/**/*.js"],
    ignores: ["**/built/**"],
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: globals.browser },
    rules: strict,
  },
  { files: ["**/*.mjs"], languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: globals.node }, rules: strict },
  { ignores: ["**/built/**", "node_modules/**", ".local/**"] },
];
