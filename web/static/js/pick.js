// Finding what lies under the pointer: a joint by its place on the screen, a
// vertex of the skin by a ray through its deformed triangles.
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector2, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';

const near = 14; // pixels

export function toScreen(pane, point) {
  const v = point.clone().project(pane.camera);
  return new Vector2((v.x * 0.5 + 0.5) * pane.width, (0.5 - v.y * 0.5) * pane.height);
}

export function jointAt(pane, places, x, y) {
  let best = -1, least = near;
  const here = new Vector2(x, y);
  places.forEach((p, i) => {
    const d = toScreen(pane, p).distanceTo(here);
    if (d < least) { least = d; best = i; }
  });
  return best;
}

export function rayAt(pane, x, y) {
  const at = new Vector2((x / pane.width) * 2 - 1, 1 - (y / pane.height) * 2);
  const ray = new Ray();
  if (pane.camera.isPerspectiveCamera) {
    ray.origin.setFromMatrixPosition(pane.camera.matrixWorld);
    ray.direction.set(at.x, at.y, 0.5).unproject(pane.camera).sub(ray.origin).normalize();
    if (pane.camera.near > (pane.open ?? pane.camera.near)) ray.origin.set(at.x, at.y, -1).unproject(pane.camera); // where the view is cut
  } else {
    ray.origin.set(at.x, at.y, -1).unproject(pane.camera);
    ray.direction.set(0, 0, -1).transformDirection(pane.camera.matrixWorld);
  }
  return ray;
}

// Picker keeps a search tree over the skin; it is built at the first click and
// refitted when the pose has changed.
export class Picker {
  constructor(skin) {
    this.skin = skin;
    this.stale = true;
  }

  // hit returns what the ray through a place of a pane meets first.
  hit(pane, x, y, matrices) {
    if (!this.tree) {
      this.geometry = new BufferGeometry();
      this.geometry.setAttribute('position', new BufferAttribute(new Float32Array(this.skin.attributes.position.array), 3));
      this.geometry.setIndex(new BufferAttribute(new Uint32Array(this.skin.triangles), 1));
      this.tree = new MeshBVH(this.geometry, { indirect: true });
    }
    if (this.stale) {
      this.skin.bent(matrices, this.geometry.attributes.position.array);
      this.tree.refit();
      this.stale = false;
    }
    const ray = rayAt(pane, x, y);
    const hidden = this.skin.hiddenTriangles;
    if (!hidden) return this.tree.raycastFirst(ray, DoubleSide);
    return this.tree.raycast(ray, DoubleSide).filter((h) => !hidden[h.faceIndex]).sort((a, b) => a.distance - b.distance)[0] ?? null;
  }

  // faceAt returns the face of the mesh under a place, -1 for none.
  faceAt(pane, x, y, matrices) {
    const hit = this.hit(pane, x, y, matrices);
    return hit ? this.skin.faces[hit.faceIndex] : -1;
  }

  vertexAt(pane, x, y, matrices) {
    const hit = this.hit(pane, x, y, matrices);
    if (!hit) return -1;
    const p = this.geometry.attributes.position;
    let best = -1, least = Infinity;
    for (const i of [hit.face.a, hit.face.b, hit.face.c]) {
      const d = new Vector3().fromBufferAttribute(p, i).distanceToSquared(hit.point);
      if (d < least) { least = d; best = i; }
    }
    return this.skin.base[best];
  }
}
