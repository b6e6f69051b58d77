import { basename, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { root } from './common.mjs';

/**
 * Bundles programs for Node: `{ name: entry }` becomes `outdir/name.mjs`.
 *
 * @param isWhole - packages go into them too, native ones aside: they start in a fraction of the time
 */
export async function bundle(entryPoints, outdir, isWhole = false) {
  let next = entryPoints;
  while (Object.keys(next).length > 0) {
    const later = {};
    await build({
      absWorkingDir: root,
      entryPoints: next,
      outdir,
      outExtension: { '.js': '.mjs' },
      bundle: true,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      sourcemap: !isWhole,
      minifyWhitespace: isWhole,
      logLevel: 'warning',
      ...(isWhole && { banner: { js: requiring }, external: ['better-sqlite3'] }),
      plugins: [...(isWhole ? [] : [keepPackagesOutside]), ownFileEach(later)],
    });
    next = later;
  }
}

// Packages of the older kind ask for what Node has by this.
const requiring =
  "import { createRequire as madeRequire } from 'node:module'; const require = madeRequire(import.meta.url);";

// Our own workspaces go into a bundle; packages of the registry stay outside, and none is loaded that isn't used.
const keepPackagesOutside = {
  name: 'keep-packages-outside',
  setup(builder) {
    builder.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === 'entry-point' || path.startsWith('@golden/') ? undefined : { path, external: true, sideEffects: false },
    );
  },
};

// What is imported when it is needed becomes a file of its own beside the program. (esbuild's own
// splitting puts whole files into shared parts, so that a short command would load all of the server.)
const ownFileEach = (later) => ({
  name: 'own-file-each',
  setup(builder) {
    builder.onResolve({ filter: /^\./ }, ({ path, kind, resolveDir }) => {
      if (kind !== 'dynamic-import') return undefined;
      const name = basename(path, '.ts');
      later[name] = join(resolveDir, path);
      return { path: `./${name}.mjs`, external: true };
    });
  },
});

// As a command: node scripts/bundle.mjs NAME ENTRY OUTDIR
if (import.meta.url === pathToFileURL(process.argv[1]).href) {
  const [, , name, entry, outdir] = process.argv;
  await bundle({ [name]: entry }, join(root, outdir));
}
