/**
 * The source of a module that exports the stores of the demo as they might be tomorrow: the same modules, except that notes
 * are kept in capitals. For `floe replay --model`.
 * @param model the path of the demo's built model
 */
export const changedModel = (model) => `import { register } from 'node:module';
register('data:text/javascript,' + encodeURIComponent(\`
export async function load(url, context, next) {
  const loaded = await next(url, context);
  if (!url.endsWith('/model/log.js')) return loaded;
  return { ...loaded, source: String(loaded.source).replace('draft.note = note;', 'draft.note = note.toUpperCase();') };
}\`));
export const { stores } = await import(${JSON.stringify(model)});
`;
