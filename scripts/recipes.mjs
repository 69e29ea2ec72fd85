// `npm run recipes`: puts the recipes of examples/recipes into the guide "Work over time", as they are.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { root } from './run.mjs';

const guide = join(root, 'docs', 'guides', 'work-over-time.md');

/** The guide with the recipes as they stand in their modules. */
export const withRecipes = (text) =>
  text.replace(/^<!-- recipe: ([\w-]+) -->\n(\n```typescript\n[^]*?^```\n)?/gm, (_all, name) => {
    const module = readFileSync(join(root, 'examples', 'recipes', 'src', `${name}.ts`), 'utf8');
    return `<!-- recipe: ${name} -->\n\n\`\`\`typescript\n${module}\`\`\`\n`;
  });

export const guideText = () => readFileSync(guide, 'utf8');

if (import.meta.url === pathToFileURL(process.argv[1]).href) writeFileSync(guide, withRecipes(guideText()));
