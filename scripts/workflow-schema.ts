import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { workflowFileJsonSchema } from '../server/src/building/files.ts';

// Writes the published JSON Schema of exported workflows anew: docs/workflow.schema.json.

const file = join(import.meta.dirname, '..', 'docs', 'workflow.schema.json');
writeFileSync(file, `${JSON.stringify(workflowFileJsonSchema(), null, 2)}\n`);
console.log(`Written: ${file}`);
