#!/usr/bin/env node
'use strict';
// Every version of Node.js can read this file; those that are too old for the rest are told so.
var needed = [20, 19];
var here = process.versions.node.split('.').map(Number);
if (here[0] > needed[0] || (here[0] === needed[0] && here[1] >= needed[1])) {
  require('./load.js')('dist/cli/start.js');
} else {
  process.stderr.write(
    'error while starting\n' +
      '    expected  Node.js ' +
      needed.join('.') +
      ' or later\n' +
      '    found     Node.js ' +
      process.versions.node +
      '\n' +
      '    mend      install a newer one, or put it first on the PATH\n',
  );
  process.exitCode = 3;
}
