import { createTypeScriptImportResolver } from "eslint-import-resolver-typescript";
import { importX } from "eslint-plugin-import-x";
import tseslint from "typescript-eslint";

// The rooms from the ground up. A room imports from those before it, never from those after it.
const ROOMS = ["api", "domain", "state", "stage", "ui", "tools", "view", "features", "app"];
const BENCHES = ["cast", "wardrobe", "chalk", "fasten", "takes", "handoff"];

const above = ROOMS.slice(0, -1).map((room, index) => ({
  target: `./src/${room}`,
  from: ROOMS.slice(index + 1).map((other) => `./src/${other}`),
  message: `${room} lies below: hand it what it needs, or move what both need down.`,
}));
const beside = BENCHES.map((bench) => ({
  target: `./src/features/${bench}`,
  from: BENCHES.filter((other) => other !== bench).map((other) => `./src/features/${other}`),
  message: "One bench does not import another: move what both need to ui, state or domain.",
}));

export default tseslint.config(
  ...tseslint.configs.strict,
  { ignores: ["dist"] },
  {
    plugins: { "import-x": importX },
    settings: {
      "import-x/extensions": [".ts", ".tsx"],
      "import-x/parsers": { "@typescript-eslint/parser": [".ts", ".tsx"] },
      "import-x/resolver-next": [createTypeScriptImportResolver()],
    },
    rules: {
      "import-x/no-cycle": "error",
      "import-x/no-restricted-paths": ["error", { zones: [...above, ...beside] }],
    },
  },
  {
    files: ["src/stage/**", "src/domain/**"],
    rules: { "no-restricted-imports": ["error", { patterns: [{ group: ["react", "react-dom", "@mui/*"], message: "Maths and the stage know nothing of React." }] }] },
  },
);
