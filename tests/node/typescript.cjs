// Lets node run a case's TypeScript files as they are, decorators and their types included.
const fs = require("fs");
const ts = require("typescript");

require.extensions[".ts"] = (module, file) => {
  const { outputText } = ts.transpileModule(fs.readFileSync(file, "utf8"), {
    fileName: file,
    compilerOptions: { module: "commonjs", target: "es2022", esModuleInterop: true, experimentalDecorators: true,
      emitDecoratorMetadata: true },
  });
  module._compile(outputText, file);
};
