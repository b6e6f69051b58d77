import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { root } from './common.mjs';

// Our own workspaces go into a bundle; packages of the registry stay outside.
const keepPackagesOutside = {
  name: 'keep-packages-outside',
  setup(builder) {
    builder.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === 'entry-point' || path.startsWith('@golden/') ? undefined : { path, external: true },
    );
  },
};

/** Bundles programs for Node: `{ name: entry }` becomes `outdir/name.mjs`. */
export async function bundle(entryPoints, outdir) {
  await build({
    absWorkingDir: root,
    entryPoints,
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    logLevel: 'warning',
    plugins: [keepPackagesOutside],
  });
}

// As a command: node scripts/bundle.mjs NAME ENTRY OUTDIR
if (import.meta.url === pathToFileURL(process.argv[1]).href) {
  const [, , name, entry, outdir] = process.argv;
  await bundle({ [name]: entry }, join(root, outdir));
}
