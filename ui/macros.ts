import babel from "@rolldown/plugin-babel";

/**
 * Turns marked texts into calls. The English stays beside its key: whoever reads English fetches no catalogue, and each
 * page brings its own words only.
 */
export const macros = () => babel({ plugins: [["@lingui/babel-plugin-lingui-macro", { stripMessageField: false }]] });
