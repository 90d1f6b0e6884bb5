import type { PluginObj, types as Types } from "@babel/core";
import { compileMessage } from "@lingui/message-utils/compileMessage";
import babel from "@rolldown/plugin-babel";

/**
 * Turns marked texts into calls. The English stays beside its key: whoever reads English fetches no catalogue, and each
 * page brings its own words only.
 */
export const macros = () => babel({ plugins: [["@lingui/babel-plugin-lingui-macro", { stripMessageField: false }], readTexts] });

/** Texts are taken apart when the pages are built, so that no browser has to know how. */
function readTexts({ types }: { types: typeof Types }): PluginObj {
  return {
    name: "read-texts",
    visitor: {
      Program: {
        exit(program) {
          program.traverse({
            ObjectProperty({ node, parent }) {
              const among = parent.type === "ObjectExpression" ? parent.properties : [];
              if (!types.isIdentifier(node.key, { name: "message" }) || !types.isStringLiteral(node.value)) return;
              if (!among.some((one) => types.isObjectProperty(one) && types.isIdentifier(one.key, { name: "id" }) && types.isStringLiteral(one.value))) return;
              node.value = types.valueToNode(compileMessage(node.value.value));
            },
          });
        },
      },
    },
  };
}
