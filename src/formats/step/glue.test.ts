import { readFile } from "node:fs/promises";
import { createRequire } from "node:module";
import { expect, test } from "vitest";
import { runGlue, withLateMethods } from "./glue";

const require = createRequire(import.meta.url);

/** Glue of the same make, with methods that can be called and counted. */
const small = `
var Module = (() => {
  return (
function(Module) {
  var crafted=0;function makeLegalFunctionName(n){return n.replace(/[^a-zA-Z0-9_]/g,"$")}function createNamedFunction(name,body){name=makeLegalFunctionName(name);return new Function("body","return function "+name+"() {return body.apply(this, arguments)}")(body)}function craftInvokerFunction(humanName,factor){crafted++;return function(x){return [humanName,factor*x,this]}}
  var scale=craftInvokerFunction("scale",3);var Named=createNamedFunction("a.b",function(v){this.v=v});
  return {scale,Named,crafted:()=>crafted,folder:__dirname,path:require("node:path").sep}
}
);
})();
export default Module;
`;

test("a method is made when it is first called, once, and does what it did", () => {
  const made = runGlue<(m: object) => Record<string, never>>(small, { require, __dirname: "here" })({}) as unknown as {
    scale(x: number): unknown[];
    Named: new (v: number) => { v: number };
    crafted(): number;
    folder: string;
    path: string;
  };
  expect(made.crafted()).toBe(0);
  expect(made.scale(2)).toEqual(["scale", 6, made]);
  expect(made.scale(5)).toEqual(["scale", 15, made]);
  expect(made.crafted()).toBe(1);
  expect(made.Named.name).toBe("a$b");
  expect(new made.Named(4)).toMatchObject({ v: 4 });
  expect(made.folder).toBe("here");
});

test("the kernel's own glue is of that make; another is left as it is", async () => {
  const own = await readFile(require.resolve("opencascade.js/dist/opencascade.full.js"), "utf8");
  expect(withLateMethods(own)).toContain("craftNow");
  expect(withLateMethods("function other(){}")).toBe("function other(){}");
});
