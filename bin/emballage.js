#!/usr/bin/env node
'use strict';
require('./load.js')('dist/cli/start.js');
