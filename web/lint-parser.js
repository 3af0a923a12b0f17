/**
 * A parser for the typed rules that makes the types of all sources once.
 *
 * The parser's own project service takes the script of a component for a change of its file, and makes all types
 * anew with each: twice the time. It is still asked where a file is not as on disk, as in an editor.
 */
import ts from "typescript";
import tseslint from "typescript-eslint";

const COMPONENT = /<script setup lang="ts"(?: generic="([^"]*)")?>([^]*?)<\/script>/u;

/** What the parser of components hands on of one: its script, after the types that its attribute defines. */
function scriptOf(component) {
  const [, generic, script = ""] = COMPONENT.exec(component) ?? [];
  if (!generic) return script;
  const types = generic
    .split(", ")
    .map((one) => `type ${one.replace(" extends", " = ")}`.replace(/^type (\w+)$/u, "type $1 = unknown"));
  return `${types.join(";")};\n${script}`;
}

function programOf(folder) {
  const { config } = ts.readConfigFile(`${folder}/tsconfig.json`, ts.sys.readFile);
  const components = [{ extension: ".vue", isMixedContent: true, scriptKind: ts.ScriptKind.Deferred }];
  const parsed = ts.parseJsonConfigFileContent(config, ts.sys, folder, {}, undefined, undefined, components);
  const options = { ...parsed.options, allowNonTsExtensions: true, noEmit: true };
  const host = ts.createCompilerHost(options, true);
  const { getSourceFile } = host;
  host.getSourceFile = (name, version, ...more) =>
    name.endsWith(".vue")
      ? ts.createSourceFile(name, scriptOf(ts.sys.readFile(name) ?? ""), version, true, ts.ScriptKind.TS)
      : getSourceFile(name, version, ...more);
  return ts.createProgram(parsed.fileNames, options, host);
}

let program;
export const parser = {
  meta: { name: "one-program", version: "1" },
  parseForESLint(code, options) {
    program ??= programOf(import.meta.dirname);
    const onDisk = program.getSourceFile(options.filePath)?.text === code;
    const types = onDisk ? { projectService: undefined, programs: [program] } : {};
    return tseslint.parser.parseForESLint(code, { ...options, ...types });
  },
};
