import js from "@eslint/js";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts", "dist"] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  a11y.flatConfigs.recommended,
  {
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "max-lines": ["error", { max: 400, skipBlankLines: true, skipComments: true }],
      "max-lines-per-function": ["error", { max: 150 }],
      "max-len": ["error", { code: 140, ignoreComments: false }],
      "no-restricted-syntax": [
        "error",
        // colours are tokens of theme.css
        { selector: "Literal[value=/#[0-9a-fA-F]{6}/]", message: "Use a colour of theme.css." },
        { selector: "CallExpression > MemberExpression > Identifier[name=/^toLocale.*String$/]", message: "Use ui/moments: days look alike everywhere." },
        // half of the browsers take them for a field of any text
        { selector: "JSXAttribute[name.name='type'] > Literal[value=/^(month|week)$/]", message: "Not every browser knows this field." },
      ],
    },
  },
);
