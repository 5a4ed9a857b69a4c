"use client";
import { Button } from "antd";
import { Fragment } from "react";
import { CHECKS } from "../../core/proof/checks";
import { thresholdsOf } from "../../core/proof/proof";
import { formatNumber } from "../../core/units/units";
import { setCheck } from "../../desk/acts/proofing";
import { calculated } from "../../desk/typing/arithmetic";
import { Field } from "../common/Field";
import { useDesk, useDeskState } from "../desk/context";

/** Every check, why it matters, and the numbers it takes: they hold for the whole project. */
export function Thresholds() {
  const desk = useDesk();
  const chosen = useDeskState((s) => s.preparation.body.proof);
  return (
    <div className="proof-list pad thresholds">
      {CHECKS.map((check) => {
        const now = thresholdsOf(check, chosen);
        return (
          <section key={check.id}>
            <h4>{check.title}</h4>
            <p className="soft">{check.why}</p>
            <div className="form">
              {Object.entries(check.thresholds).map(([name, t]) => (
                <Fragment key={name}>
                  <span>{t.label}</span>
                  <span className="threshold">
                    <Field
                      ariaLabel={`${check.title}: ${t.label}`}
                      value={formatNumber(now[name] ?? t.usual)}
                      suffix={t.unit}
                      parse={(text) => {
                        const read = calculated(text, "plain", "mm", now[name] ?? t.usual);
                        const value = "error" in read ? Number.NaN : read.value;
                        if (!(value >= t.min && value <= t.max))
                          return { error: `From ${formatNumber(t.min)} to ${formatNumber(t.max)} ${t.unit}.`.trim() };
                        setCheck(desk, check.id, name, value === t.usual ? null : value);
                        return null;
                      }}
                    />
                    {chosen?.[check.id]?.[name] !== undefined && (
                      <Button size="small" type="text" onClick={() => setCheck(desk, check.id, name, null)}>
                        Usual
                      </Button>
                    )}
                  </span>
                </Fragment>
              ))}
            </div>
          </section>
        );
      })}
    </div>
  );
}
