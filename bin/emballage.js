#!/usr/bin/env node
'use strict';
require('../dist/cli/start.js');
