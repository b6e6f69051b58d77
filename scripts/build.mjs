import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { build as buildWeb } from 'vite';
import { root } from './common.mjs';

// Our own workspaces go into the bundles; packages of the registry stay outside.
const keepPackagesOutside = {
  name: 'keep-packages-outside',
  setup(builder) {
    builder.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === 'entry-point' || path.startsWith('@golden/') ? undefined : { path, external: true },
    );
  },
};

await buildWeb({ root: join(root, 'web'), logLevel: 'warn', configFile: join(root, 'web', 'vite.config.ts') });
await build({
  absWorkingDir: fileURLToPath(new URL('..', import.meta.url)),
  entryPoints: { golden: 'server/src/main.ts', practice: 'standins/src/main.ts', 'make-demo': 'demo/src/make.ts' },
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  sourcemap: true,
  logLevel: 'warning',
  plugins: [keepPackagesOutside],
});
