// Starts the workbook thread from its sources, for development and tests; the built product starts its bundle.
import { register } from 'tsx/esm/api';

register();
await import('./book-worker.ts');
