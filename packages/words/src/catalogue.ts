import { en } from './texts/en.js';

/** The texts of each language; another is one file more, of the same form. */
const catalogues = { en };
export type Language = keyof typeof catalogues;
export type Catalogue = typeof en;

/** The texts in a language. */
export const textsIn = (language: Language = 'en'): Catalogue => catalogues[language];
