// Development is the default of Floe and of the frameworks; what runs after this runs as a production build does.
process.env.NODE_ENV = 'production';
Object.assign(globalThis, { ngDevMode: false });
