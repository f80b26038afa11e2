const { Script } = require('node:vm');
const { default: JestRuntime } = require('jest-runtime');

/**
 * Compiles each module once in a process, whatever number of test files load it. Jest compiles functions, which V8 keeps no compiled form of, so each
 * test file would have the same libraries parsed and compiled again; of scripts it keeps them.
 */
module.exports = class TestRuntime extends JestRuntime {
  constructor(...settings) {
    super(...settings);
    const { executor } = this;
    const compileFunction = executor.compile;
    executor.compile = function (source, filename) {
      const context = this.environment.getVmContext();
      if (context === null || source.startsWith('#!') || this.resolution.isCoreModule(filename))
        return compileFunction.call(this, source, filename);
      try {
        const wrapped = `(function (${this.injectedModuleParameters.join(', ')}) {${source}\n})`;
        return new Script(wrapped, { filename }).runInContext(context);
      } catch {
        // Told with its place, as Jest does.
        return compileFunction.call(this, source, filename);
      }
    };
  }
};
