/** Before each file of tests: texts are what the code says. */
import { i18n } from "@lingui/core";

i18n.loadAndActivate({ locale: "en", messages: {} });
