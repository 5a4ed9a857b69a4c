"use client";
import { App, Button } from "antd";
import { useEffect, useSyncExternalStore } from "react";
import { isUpdated, onUpdated } from "../../desk/updated";

/** Says, once it is so, that the page was opened before an update. It goes on as it is: nobody is made to hurry. */
export function Updated() {
  const { notification } = App.useApp();
  const updated = useSyncExternalStore(onUpdated, isUpdated, () => false);
  useEffect(() => {
    if (!updated) return;
    notification.info({
      key: "updated",
      title: "Plextan was updated",
      description: "What you do here goes on being saved. Reload when it suits you, to work with the new version.",
      duration: 0,
      placement: "bottomRight",
      actions: (
        <Button type="primary" onClick={() => location.reload()}>
          Reload
        </Button>
      ),
    });
  }, [updated, notification]);
  return null;
}
