import { build, installPackages, needNode, runTogether } from './common.mjs';

// Serves Golden Relay without demo data: npm start -- --data FOLDER --port 4600

needNode();
installPackages();
build();
runTogether([['dist/golden.mjs', ...process.argv.slice(2)]]);
