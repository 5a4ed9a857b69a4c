import * as THREE from "three";
import { nth } from "../core/math/packed";

/**
 * `place`: x which side of the line, y 1 at the far end, z distance along, mm. An end behind the viewer is brought forward
 * along the line, or its direction on the screen would turn over. Lines lie a touch nearer than the surface under them.
 */
const VERTEX = /* glsl */ `
#include <common>
#include <batching_pars_vertex>
attribute vec3 otherEnd;
attribute vec3 place;
uniform float widthPx;
uniform vec2 viewPx;
varying float vAlong;
void main() {
  #ifdef USE_BATCHING
    mat4 own = modelMatrix * getBatchingMatrix( getIndirectIndex( gl_DrawID ) );
  #else
    mat4 own = modelMatrix;
  #endif
  vec4 here = viewMatrix * own * vec4( position, 1.0 );
  vec4 there = viewMatrix * own * vec4( otherEnd, 1.0 );
  float near = -1e-3;
  if ( projectionMatrix[ 2 ][ 3 ] == -1.0 ) {
    if ( there.z > near && here.z < near ) there = mix( here, there, ( near - here.z ) / ( there.z - here.z ) );
    else if ( here.z > near && there.z < near ) here = mix( there, here, ( near - there.z ) / ( here.z - there.z ) );
  }
  vec4 a = projectionMatrix * here;
  vec4 b = projectionMatrix * there;
  vec2 along = ( b.xy / b.w - a.xy / a.w ) * viewPx * ( 1.0 - 2.0 * place.y );
  float len = length( along );
  vec2 side = len > 1e-6 ? vec2( -along.y, along.x ) / len : vec2( 0.0 );
  a.xy += side * place.x * widthPx / viewPx * a.w;
  a.z -= 6e-5 * a.w;
  gl_Position = a;
  vAlong = place.z;
}
`;
const FRAGMENT = /* glsl */ `
uniform vec3 color;
uniform float opacity;
uniform vec2 dash;
varying float vAlong;
void main() {
  if ( dash.x > 0.0 && mod( vAlong, dash.x + dash.y ) > dash.x ) discard;
  gl_FragColor = vec4( color, opacity );
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
}
`;

/** Width of an edge line of weight 1, as a share of the picture's height: 1 px in 720 lines. */
const WIDTH = 1.15 / 720;

/**
 * Ink for feature edges: lines of a width that belongs to the picture, so a large print has the same look as the
 * desk.
 */
export class EdgeMaterial extends THREE.ShaderMaterial {
  constructor(color: number, opacity: number, dashMm: readonly [number, number] | null = null) {
    super({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      transparent: true,
      depthWrite: false,
      side: THREE.DoubleSide,
      toneMapped: false,
      uniforms: {
        color: { value: new THREE.Color(color) },
        opacity: { value: opacity },
        widthPx: { value: 1 },
        viewPx: { value: new THREE.Vector2(1, 1) },
        dash: { value: new THREE.Vector2(dashMm?.[0] ?? 0, dashMm?.[1] ?? 0) },
      },
    });
  }

  /** Fits the line to a picture: `weight` 1 is the usual line. Thin lines grow pale rather than broken. */
  fitTo(widthPx: number, heightPx: number, weight: number, opacity: number): void {
    const u = this.uniforms as {
      viewPx: { value: THREE.Vector2 };
      widthPx: { value: number };
      opacity: { value: number };
    };
    const px = WIDTH * heightPx * weight;
    u.viewPx.value.set(widthPx, heightPx);
    u.widthPx.value = Math.max(1, px);
    u.opacity.value = opacity * Math.min(1, px);
  }
}

/** Feature edges as thin quads: four vertices a segment. Null when there are none. */
export function edgeGeometry(edges: Float32Array): THREE.BufferGeometry | null {
  const segments = edges.length / 6;
  if (segments === 0) return null;
  const position = new Float32Array(segments * 12);
  const other = new Float32Array(segments * 12);
  const place = new Float32Array(segments * 12);
  const index = new Uint32Array(segments * 6);
  for (let s = 0; s < segments; s++) {
    const e = 6 * s;
    const length = Math.hypot(
      nth(edges, e + 3) - nth(edges, e),
      nth(edges, e + 4) - nth(edges, e + 1),
      nth(edges, e + 5) - nth(edges, e + 2),
    );
    for (let v = 0; v < 4; v++) {
      const far = v >> 1;
      const o = 12 * s + 3 * v;
      for (let k = 0; k < 3; k++) {
        position[o + k] = nth(edges, e + 3 * far + k);
        other[o + k] = nth(edges, e + 3 * (1 - far) + k);
      }
      place[o] = v & 1 ? 1 : -1;
      place[o + 1] = far;
      place[o + 2] = far * length;
    }
    index.set([4 * s, 4 * s + 1, 4 * s + 2, 4 * s + 2, 4 * s + 1, 4 * s + 3], 6 * s);
  }
  const g = new THREE.BufferGeometry();
  g.setAttribute("position", new THREE.BufferAttribute(position, 3));
  g.setAttribute("otherEnd", new THREE.BufferAttribute(other, 3));
  g.setAttribute("place", new THREE.BufferAttribute(place, 3));
  g.setIndex(new THREE.BufferAttribute(index, 1));
  return g;
}
