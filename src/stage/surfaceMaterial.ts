import * as THREE from "three";
import { MARK_COLORS } from "./palette";

/**
 * Numbers of each drawn part in a texture, {@link SURFACE_TEXELS} RGBA texels a part:
 *
 *   0  roughness, metalness, mark (how much of the working colour), 1 where faces keep their own colours
 *   1  emitted light, linear RGB; number of the mark's colour in MARK_COLORS
 */
export const SURFACE_TEXELS = 2;

/** A texture for the surfaces of `count` parts. */
export function surfaceTexture(count: number): THREE.DataTexture {
  const side = Math.max(SURFACE_TEXELS, Math.ceil(Math.sqrt(count * SURFACE_TEXELS) / SURFACE_TEXELS) * SURFACE_TEXELS);
  const texture = new THREE.DataTexture(
    new Float32Array(side * side * 4),
    side,
    side,
    THREE.RGBAFormat,
    THREE.FloatType,
  );
  texture.needsUpdate = true;
  return texture;
}

const VERTEX = /* glsl */ `
uniform highp sampler2D surfaceMap;
flat varying vec4 vSurface;
flat varying vec4 vEmitted;
attribute vec4 faceColor;
flat varying vec4 vFace;
`;
const VERTEX_MAIN = /* glsl */ `
  vFace = faceColor;
  {
    int part = int( getIndirectIndex( gl_DrawID ) ) * ${SURFACE_TEXELS};
    int side = textureSize( surfaceMap, 0 ).x;
    vSurface = texelFetch( surfaceMap, ivec2( part % side, part / side ), 0 );
    vEmitted = texelFetch( surfaceMap, ivec2( ( part + 1 ) % side, ( part + 1 ) / side ), 0 );
  }
`;
const FRAGMENT = /* glsl */ `
flat varying vec4 vSurface;
flat varying vec4 vEmitted;
flat varying vec4 vFace;
uniform float metal;
uniform vec3 markColors[ ${MARK_COLORS.length} ];
vec3 toLinear( vec3 c ) { return mix( c / 12.92, pow( ( c + 0.055 ) / 1.055, vec3( 2.4 ) ), step( 0.04045, c ) ); }
`;

/**
 * A standard material for a batch, or a list of it, that knows the colours of single faces and takes each part's
 * roughness, metalness and marks from the surface texture; one program serves every finish. `metal` says how much of
 * its metalness a surface shows: without anything to mirror metal would be black.
 */
export function surfaceMaterial(map: THREE.DataTexture, metal: { value: number }): THREE.MeshStandardMaterial {
  const m = new THREE.MeshStandardMaterial({
    color: 0xffffff,
    roughness: 0.5,
    metalness: 0,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 1,
  });
  const own = {
    metal,
    markColors: { value: MARK_COLORS.map((v) => new THREE.Color(v)) },
    surfaceMap: { value: map },
  };
  m.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, own);
    shader.vertexShader = shader.vertexShader
      .replace("#include <batching_pars_vertex>", `#include <batching_pars_vertex>\n${VERTEX}`)
      .replace("#include <batching_vertex>", `#include <batching_vertex>\n${VERTEX_MAIN}`);
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", `#include <common>\n${FRAGMENT}`)
      .replace(
        "#include <color_fragment>",
        `#include <color_fragment>
  diffuseColor.rgb = mix( diffuseColor.rgb, toLinear( vFace.rgb ), vFace.a * vSurface.w );`,
      )
      .replace("#include <roughnessmap_fragment>", "#include <roughnessmap_fragment>\n  roughnessFactor = vSurface.x;")
      .replace(
        "#include <metalnessmap_fragment>",
        "#include <metalnessmap_fragment>\n  metalnessFactor = vSurface.y * metal;",
      )
      .replace(
        "#include <emissivemap_fragment>",
        `#include <emissivemap_fragment>
  totalEmissiveRadiance += vEmitted.rgb + markColors[ int( vEmitted.a + 0.5 ) ] * vSurface.z;`,
      );
  };
  m.customProgramCacheKey = () => "surface";
  return m;
}
