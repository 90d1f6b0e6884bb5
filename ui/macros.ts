import type { PluginObj, types as Types } from "@babel/core";
import { compileMessage } from "@lingui/message-utils/compileMessage";
import babel from "@rolldown/plugin-babel";

/**
 * Turns marked texts into calls. The English stays beside its key: whoever reads English fetches no catalogue, and each
 * page brings its own words only.
 */
export const macros = () => babel({ plugins: [["@lingui/babel-plugin-lingui-macro", { stripMessageField: false }], readTexts] });

/**
 * Texts are taken apart when the pages are built, so that no browser has to know how. What is filled in between elements
 * is handed over as a list: then it is set as it stands, and no name that looks like `<b>this</b>` is read as markup.
 */
function readTexts({ types }: { types: typeof Types }): PluginObj {
  const named = (node: Types.Node, name: string): node is Types.ObjectProperty => types.isObjectProperty(node) && types.isIdentifier(node.key, { name });
  return {
    name: "read-texts",
    visitor: {
      Program: {
        exit(program) {
          program.traverse({
            ObjectExpression({ node, parent }) {
              const id = node.properties.find((one) => named(one, "id"));
              const message = node.properties.find((one) => named(one, "message"));
              if (!types.isObjectProperty(id) || !types.isStringLiteral(id.value) || !types.isObjectProperty(message) || !types.isStringLiteral(message.value)) return;
              const tokens = compileMessage(message.value.value);
              message.value = types.valueToNode(tokens);
              const values = node.properties.find((one) => named(one, "values"));
              if (!types.isJSXSpreadAttribute(parent) || !types.isObjectProperty(values) || !types.isObjectExpression(values.value)) return;
              const counted = new Set(tokens.flatMap((token) => (typeof token !== "string" && token.length > 1 ? [token[0]] : [])));
              for (const filled of values.value.properties) {
                if (types.isObjectProperty(filled) && types.isExpression(filled.value) && !counted.has(nameOf(filled.key))) filled.value = types.arrayExpression([filled.value]);
              }
            },
          });
        },
      },
    },
  };

  function nameOf(key: Types.Node): string {
    return types.isIdentifier(key) ? key.name : types.isNumericLiteral(key) || types.isStringLiteral(key) ? String(key.value) : "";
  }
}
