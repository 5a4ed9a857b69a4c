"use client";
import { Button, Input, Switch, Tooltip } from "antd";
import { Focus } from "lucide-react";
import { memo } from "react";
import { setCurves } from "../../desk/acts/curveActions";
import type { Shown } from "../../desk/curves/model";
import { useDesk, useDeskState } from "../desk/context";

/** The channels of what is selected: shown or hidden, or one alone. */
export const ChannelList = memo(function ChannelList({
  channels,
  shown,
  only,
  total,
  left,
}: {
  channels: readonly Shown[];
  shown: readonly Shown[];
  only: string | null;
  total: number;
  left: number;
}) {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const owners = [...new Set(channels.map((c) => c.owner))];
  const toggle = (id: string) => {
    if (only !== null) {
      setCurves(desk, { only: only === id ? null : id });
      return;
    }
    setCurves(desk, {
      hidden: prefs.hidden.includes(id) ? prefs.hidden.filter((h) => h !== id) : [...prefs.hidden, id],
    });
  };
  return (
    <div className="channels">
      <div className="channels-head">
        <Input
          size="small"
          allowClear
          placeholder="Find a channel"
          aria-label="Find a channel"
          value={prefs.search}
          onChange={(e) => setCurves(desk, { search: e.target.value })}
        />
        <div className="row">
          <Switch
            size="small"
            aria-label="Everything that moves"
            checked={prefs.all}
            onChange={(all) => setCurves(desk, { all, only: null })}
          />
          <span className="soft">everything that moves</span>
        </div>
        <div className="row">
          <Switch
            size="small"
            aria-label="Only what changes"
            checked={prefs.changing}
            onChange={(changing) => setCurves(desk, { changing })}
          />
          <span className="soft">
            only what changes{total > channels.length ? ` (${total - channels.length} hidden)` : ""}
          </span>
        </div>
      </div>
      <ul className="plain channels-list" aria-label="Channels">
        {owners.map((owner) => (
          <li key={owner}>
            <span className="channels-owner ellipsis" title={owner}>
              {owner}
            </span>
            <ul className="plain">
              {channels
                .filter((c) => c.owner === owner)
                .map((c) => {
                  const on = shown.includes(c);
                  return (
                    <li key={c.id} className={`channel ${on ? "" : "off"}`}>
                      <button
                        type="button"
                        className="channel-name"
                        aria-pressed={on}
                        title={on ? `Hide ${c.name}` : `Show ${c.name}`}
                        onClick={() => toggle(c.id)}
                      >
                        <i style={{ background: on ? c.colour : "transparent", borderColor: c.colour }} />
                        <span className="ellipsis">{c.name}</span>
                        <span className="soft">{c.curve.keys.length > 0 ? c.curve.keys.length : ""}</span>
                      </button>
                      <Tooltip title={only === c.id ? "Show the others again" : "Show this one alone"}>
                        <Button
                          size="small"
                          type={only === c.id ? "default" : "text"}
                          aria-label={`${c.name} alone`}
                          aria-pressed={only === c.id}
                          icon={<Focus size={13} />}
                          onClick={() => setCurves(desk, { only: only === c.id ? null : c.id })}
                        />
                      </Tooltip>
                    </li>
                  );
                })}
            </ul>
          </li>
        ))}
        {left > 0 && <li className="soft pad">and {left} more that move: find one by its name, or select it.</li>}
      </ul>
    </div>
  );
});
