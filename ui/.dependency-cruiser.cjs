/** Which room of the pages may import which; nothing goes round in a circle. */
const room = (name, from, to, why) => ({
  name,
  comment: why,
  severity: "error",
  from: { path: from },
  to: { path: to },
});

module.exports = {
  forbidden: [
    { name: "no-circle", severity: "error", from: {}, to: { circular: true } },
    { name: "no-orphan", severity: "error", from: { orphan: true, pathNot: "\\.d\\.ts$|\\.test\\.ts$" }, to: {} },
    room("lib-is-plain", "^src/lib/", "^src/(components|features|pages)/", "what is shared knows no component"),
    room("api-is-plain", "^src/api/", "^src/(components|features|pages)/", "the client knows no component"),
    room("components-are-shared", "^src/components/", "^src/(features|pages)/", "shared components know no feature"),
    room("features-know-no-page", "^src/features/", "^src/pages/", "pages are put together from features"),
    { name: "no-undeclared-package", severity: "error", from: {}, to: { dependencyTypes: ["npm-no-pkg", "npm-unknown"] } },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    tsConfig: { fileName: "tsconfig.json" },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { exportsFields: ["exports"], conditionNames: ["import", "types", "default"] },
  },
};
