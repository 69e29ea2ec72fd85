// The one place where the build mode is looked at. The production build replaces this file by a literal, so that every
// branch that stands behind `DEV` goes: checks, freezing and long messages (`scripts/build-production.mjs`).
const { process } = globalThis as { readonly process?: { readonly env?: { readonly NODE_ENV?: string } } };

/** True in development and tests; false in the production build, and where Node runs with `NODE_ENV=production`. */
export const DEV: boolean = process?.env?.NODE_ENV !== 'production';
