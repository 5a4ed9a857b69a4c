/** Where the picture stands on what is drawn on. */
export interface Frame {
  left: number;
  top: number;
  width: number;
  height: number;
}

const COLOUR = "#A63D2F";

/** Draws lines over a picture, as wide as they were pressed. @param lines x, y as shares of the picture, and pressure */
export function drawLines(c: CanvasRenderingContext2D, frame: Frame, lines: readonly (readonly number[])[]): void {
  c.lineCap = "round";
  c.lineJoin = "round";
  c.strokeStyle = COLOUR;
  for (const l of lines)
    for (let i = 3; i + 2 < l.length; i += 3) {
      c.lineWidth = 1.5 + 5 * ((l[i + 2] as number) || 0.5);
      c.beginPath();
      c.moveTo(frame.left + (l[i - 3] as number) * frame.width, frame.top + (l[i - 2] as number) * frame.height);
      c.lineTo(frame.left + (l[i] as number) * frame.width, frame.top + (l[i + 1] as number) * frame.height);
      c.stroke();
    }
}

/** Draws a pin, as it stands on the stage. Without a number: that changes with what else is said. */
export function drawPin(c: CanvasRenderingContext2D, x: number, y: number, seen: boolean): void {
  c.globalAlpha = seen ? 1 : 0.45;
  c.fillStyle = COLOUR;
  c.strokeStyle = "#FFFDF8";
  c.lineWidth = 2;
  c.beginPath();
  c.roundRect(x - 11, y - 11, 22, 22, 5);
  c.fill();
  c.stroke();
  c.fillStyle = "#FFFFFF";
  c.beginPath();
  c.arc(x, y, 4, 0, 2 * Math.PI);
  c.fill();
  c.globalAlpha = 1;
}

/** Shows lines on a canvas that lies over the picture, and nothing else. */
export function showLines(canvas: HTMLCanvasElement | null, frame: Frame, lines: readonly (readonly number[])[]): void {
  if (!canvas) return;
  const { clientWidth: w, clientHeight: h } = canvas;
  const ratio = Math.min(2, devicePixelRatio);
  if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio)) {
    canvas.width = Math.round(w * ratio);
    canvas.height = Math.round(h * ratio);
  }
  const c = canvas.getContext("2d");
  if (!c) return;
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.clearRect(0, 0, w, h);
  drawLines(c, frame, lines);
}
