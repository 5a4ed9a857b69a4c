import vm from "node:vm";

/*
 * The kernel's glue makes a function from text for each of its 40,000 methods when it starts, which is nine tenths of
 * the time that takes; a file needs some hundreds of them. Here they are made when they are first called.
 */

const INVOKER = "function craftInvokerFunction(";
const NAMED = "function createNamedFunction(name,body){";

/** What takes the place of the making of methods: the same, at their first call. */
const LATE = `function craftInvokerFunction(...of){let made=null;return function(...given){made??=craftNow(...of);return made.apply(this,given)}}function craftNow(`;

/** A function with a name, without text to compile. */
const PLAIN = `${NAMED}const named=function(){"use strict";return body.apply(this,arguments)};Object.defineProperty(named,"name",{value:makeLegalFunctionName(name)});return named;`;

/** The glue as it is run; as it came where it is not as it is known. */
export function withLateMethods(glue: string): string {
  const parts = [INVOKER, NAMED];
  if (parts.some((p) => glue.split(p).length !== 2)) return glue;
  return glue.replace(INVOKER, LATE).replace(NAMED, PLAIN);
}

/**
 * Runs the glue's text and gives the function that starts the kernel.
 * @param given the names of CommonJS that it looks for
 */
export function runGlue<T>(glue: string, given: { require: NodeJS.Require; __dirname: string }): T {
  const body = withLateMethods(glue).replace(/^export default (\w+);/m, "return $1;");
  const run = vm.runInThisContext(`(function (require, __dirname) {${body}\n})`, {
    filename: "kernel-glue.js",
  }) as (require: NodeJS.Require, folder: string) => T;
  return run(given.require, given.__dirname);
}
