#!/usr/bin/env node
import "../dist/eremos.js";
