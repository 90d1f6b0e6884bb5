import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Shop } from "../../api/client";
import { currencyUnit } from "../../lib/format";
import { HouseFigure } from "./HouseFigure";

const COMMON = ["EUR", "USD", "GBP", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "RON", "CAD", "AUD", "NZD", "JPY", "CNY", "INR", "KRW", "BRL", "MXN", "ZAR", "TRY"];

interface MoneyProps {
  shop: Shop;
  onChange: (shop: Shop, label: string) => void;
}

/** In which money prices are, and what electricity costs. */
export function Money({ shop, onChange }: MoneyProps) {
  const names = new Intl.DisplayNames(undefined, { type: "currency" });
  const codes = COMMON.includes(shop.currency) ? COMMON : [shop.currency, ...COMMON];
  return (
    <section aria-labelledby="money" className="mt-5">
      <h2 id="money" className="font-serif text-2xl">
        <Trans>Money</Trans>
      </h2>
      <div className="mt-1 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <label>
          <Trans>Prices are in</Trans>{" "}
          <select className="select select-xs w-48 border-rule bg-base-100" value={shop.currency} onChange={(event) => onChange({ ...shop, currency: event.target.value }, t`the currency`)}>
            {codes.map((code) => (
              <option key={code} value={code}>
                {code}, {names.of(code)}
              </option>
            ))}
          </select>
        </label>
        <HouseFigure label={t`A kilowatt-hour costs`} unit={currencyUnit()} value={shop.price_per_kwh} onChange={(price_per_kwh) => onChange({ ...shop, price_per_kwh }, t`the price of electricity`)} />
        <span className="text-quiet"><Trans>No sum is converted when the currency is changed.</Trans></span>
      </div>
    </section>
  );
}
