import { ensureBuilt, ensureModules } from './setup.mjs';

ensureModules();
ensureBuilt();
