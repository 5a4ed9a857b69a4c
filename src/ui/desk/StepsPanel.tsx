"use client";
import { closestCenter, DndContext, type DragEndEvent, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { Button, Tooltip } from "antd";
import { MessageSquare, Plus, TriangleAlert } from "lucide-react";
import { useEffect, useRef } from "react";
import type { Step } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import { addStep, duplicateStep, moveStep, updateStep } from "../../core/edit/sequenceCommands";
import { mergeSteps, removeStepOf, splitStep } from "../../core/edit/stepCommands";
import { nth } from "../../core/math/packed";
import { stepLength } from "../../core/program/spans";
import { formatSecondsShort } from "../../core/time/time";
import { stepFaults } from "../../desk/acts/moveReports";
import { openComments } from "../../desk/acts/reviewing";
import { pictureKey } from "../../desk/background/stepPictures";
import { chooseParts } from "../../desk/selection/selecting";
import { NO_PARTS, nothing, showStep } from "../../desk/selection/selection";
import { More } from "../common/More";
import { FindingMark } from "../proof/FindingMark";
import { useSoundDrop } from "../sound/useSoundDrop";
import { useDesk, useDeskState, useSequence } from "./context";
import { namesAt } from "./Others";

/** The steps as cards: click goes there, drag or Alt+arrows reorder. */
export function StepsPanel() {
  const desk = useDesk();
  const sequence = useSequence();
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const onDrop = (e: DragEndEvent) => {
    if (!e.over || e.active.id === e.over.id) return;
    const to = sequence.stepOrder.indexOf(String(e.over.id));
    desk.edit(`Move step "${sequence.steps[String(e.active.id)]?.title}"`, moveStep(String(e.active.id), to));
  };
  const add = () => {
    const id = freshId();
    const { focus } = desk.state;
    const after = focus.kind === "step" ? focus.id : desk.stepAtPlayhead()?.id;
    if (!desk.edit("Add a step", addStep(id, `Step ${sequence.stepOrder.length + 1}`, after))) return;
    const at = desk.program.steps.position.get(id);
    if (at !== undefined) desk.seek(nth(desk.program.steps.start, at));
    chooseParts(desk, showStep(desk.state.selected, id, NO_PARTS));
  };
  return (
    <section className="panel" aria-label="Steps">
      <div className="panel-head">
        <h2>Steps</h2>
        <span className="soft number">{formatSecondsShort(desk.program.steps.length)} s</span>
        <div className="grow" />
        <Tooltip title="Add a step after this one">
          <Button size="small" type="text" aria-label="Add step" icon={<Plus size={15} />} onClick={add} />
        </Tooltip>
      </div>
      <div className="panel-body">
        <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDrop}>
          <SortableContext items={sequence.stepOrder} strategy={verticalListSortingStrategy}>
            <ol className="cards">
              {sequence.stepOrder.map((id, i) => {
                const step = sequence.steps[id];
                return step ? (
                  <Card key={id} step={step} number={i + 1} last={i === sequence.stepOrder.length - 1} />
                ) : null;
              })}
            </ol>
          </SortableContext>
        </DndContext>
      </div>
    </section>
  );
}

function Card({ step, number, last }: { step: Step; number: number; last: boolean }) {
  const desk = useDesk();
  const focused = useDeskState((s) => s.focus.kind === "step" && s.focus.id === step.id);
  const here = useDeskState((s) => desk.stepAtPlayhead(s.ticks)?.id === step.id);
  useDeskState((s) => s.programVersion);
  const sequence = useSequence();
  const picture = useDeskState((s) => s.stepPictures[pictureKey(s.sequenceId, step.id)]);
  const pictures = useDeskState((s) => s.aids.pictures);
  const faults = stepFaults(desk, step.id);
  const said = useDeskState((s) => openComments(s.reviewing.round, step.id));
  const others = useDeskState((s) => namesAt(s.others, s.sequenceId, step.id));
  const sortable = useSortable({ id: step.id });
  // Recordings that are dropped here are this step's, and its followers' where there are several.
  const dropped = useSoundDrop(() => ({ role: "voice", step: step.id, at: 0 }));
  const { transform } = sortable;
  const element = useRef<HTMLLIElement | null>(null);
  useEffect(() => {
    if (here && !desk.state.playing) element.current?.scrollIntoView({ block: "nearest" });
  }, [here, desk]);
  const go = () => {
    const at = desk.program.steps.position.get(step.id);
    desk.pause();
    if (at !== undefined) desk.seek(nth(desk.program.steps.start, at));
    // Another step is looked at: what was chosen in time elsewhere is let go of.
    chooseParts(desk, nothing(step.id));
  };
  const shift = (by: number) => desk.edit(`Move step "${step.title}"`, moveStep(step.id, number - 1 + by));
  return (
    <li
      ref={(node) => {
        sortable.setNodeRef(node);
        element.current = node;
      }}
      style={
        transform
          ? { transform: `translate3d(0, ${transform.y}px, 0)`, transition: sortable.transition, zIndex: 2 }
          : {}
      }
      className={`card ${focused ? "focused" : ""} ${here ? "here" : ""} ${step.on ? "" : "off"}`}
      data-step={step.id}
      {...dropped}
    >
      <button
        type="button"
        className="card-main"
        {...sortable.listeners}
        aria-current={here ? "step" : undefined}
        onClick={go}
        onKeyDown={(e) => {
          if (e.altKey && e.key === "ArrowUp" && number > 1) {
            e.preventDefault();
            e.stopPropagation();
            shift(-1);
          }
          if (e.altKey && e.key === "ArrowDown" && !last) {
            e.preventDefault();
            e.stopPropagation();
            shift(1);
          }
        }}
      >
        <span
          className={`card-picture ${pictures ? "" : "none"}`}
          style={pictures ? { aspectRatio: `${sequence.picture.width} / ${sequence.picture.height}` } : {}}
        >
          {picture && <img src={picture} alt="" draggable={false} />}
          <span className="card-number number">{number}</span>
        </span>
        <span className="card-text">
          <span className="card-title">{step.title || "Untitled"}</span>
          <span className="card-caption">
            <span className="card-length number">
              {step.on ? `${formatSecondsShort(stepLength(step, desk.sequence))} s` : "off"}
            </span>{" "}
            {step.caption}
          </span>
        </span>
        <FindingMark step={step.id} />
        {(faults.clashes > 0 || faults.gone) && (
          <Tooltip
            title={[
              faults.clashes > 0 ? "Moves of this step clash." : "",
              faults.gone ? "Something that moves in it is gone." : "",
            ]
              .filter(Boolean)
              .join(" ")}
          >
            <TriangleAlert
              size={13}
              className="problem"
              aria-label={faults.gone ? "Something is gone" : "Moves clash"}
            />
          </Tooltip>
        )}
        {others && (
          <span className="card-others" title={`${others} ${others.includes(",") ? "are" : "is"} at this step`}>
            {others}
          </span>
        )}
        {said > 0 && (
          <span className="said-count card-said" title={said === 1 ? "One open comment" : `${said} open comments`}>
            <MessageSquare size={12} aria-hidden /> {said}
          </span>
        )}
      </button>
      <More
        label={`More about ${step.title}`}
        className="card-more"
        menu={{
          items: [
            { key: "up", label: "Move up (Alt+Up)", disabled: number === 1 },
            { key: "down", label: "Move down (Alt+Down)", disabled: last },
            { key: "copy", label: "Duplicate" },
            { key: "split", label: "Split at the playhead", disabled: !here || !step.on },
            { key: "merge", label: "Merge with the next", disabled: last },
            { key: "on", label: step.on ? "Switch off" : "Switch on" },
            { key: "remove", label: "Remove", danger: true },
          ],
          onClick: ({ key }) => {
            if (key === "up") shift(-1);
            if (key === "down") shift(1);
            if (key === "copy") desk.edit(`Duplicate step "${step.title}"`, duplicateStep(step.id, freshId()));
            if (key === "split") {
              const { start } = desk.program.steps;
              const at = desk.state.ticks - (start[desk.program.steps.position.get(step.id) ?? 0] ?? 0);
              desk.edit(`Split step "${step.title}"`, splitStep(desk.program, step.id, at, freshId()));
            }
            if (key === "merge") desk.edit(`Merge step "${step.title}" with the next`, mergeSteps(step.id));
            if (key === "on")
              desk.edit(
                `${step.on ? "Switch off" : "Switch on"} step "${step.title}"`,
                updateStep(step.id, { on: !step.on }),
              );
            if (key === "remove") desk.edit(`Remove step "${step.title}"`, removeStepOf(desk.program, step.id));
          },
        }}
      />
    </li>
  );
}
