/** Ends Jest's own output with the plain line that every runner of this project closes with. */
module.exports = class CountReporter {
  onRunComplete(_contexts, results) {
    const failed = results.numFailedTests + results.numRuntimeErrorTestSuites;
    console.log(`unit: ${results.numPassedTests} passed, ${failed} failed`);
  }
};
