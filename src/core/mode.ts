// The one place where the build mode is looked at. Bundlers replace `process.env.NODE_ENV` by a literal and then drop
// every branch that stands behind `DEV`: checks, freezing and long messages.
declare const process: { readonly env: { readonly NODE_ENV?: string } };

/** True in development and tests; a production bundle folds it to `false`. */
export const DEV: boolean = process.env.NODE_ENV !== 'production';
