// Finding what lies under the pointer: a joint by its place on the screen, a
// vertex of the skin by a ray through its deformed triangles.
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Triangle, Vector2, Vector3 } from 'three';
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

  // hit returns what the ray through a place of a pane meets first, of the skin as it is seen: its
  // triangles, or those of its smoothed surface.
  hit(pane, x, y) {
    const { skin } = this, fine = skin.subdivided ?? null;
    if (!this.tree || this.fine !== fine) {
      this.fine = fine;
      this.geometry = new BufferGeometry();
      this.geometry.setAttribute('position', new BufferAttribute(new Float32Array(fine ? fine.position.array : skin.attributes.position.array), 3));
      this.geometry.setIndex(new BufferAttribute(new Uint32Array(fine ? fine.index : skin.triangles), 1));
      this.tree = new MeshBVH(this.geometry, { indirect: true });
      this.stale = true;
    }
    if (this.stale) {
      const at = this.geometry.attributes.position.array;
      at.set(fine ? fine.position.array : skin.places.now());
      this.tree.refit();
      this.stale = false;
    }
    const ray = rayAt(pane, x, y);
    const hidden = fine ? fine.hidden : skin.hiddenTriangles;
    if (!hidden) return this.tree.raycastFirst(ray, DoubleSide);
    return this.tree.raycast(ray, DoubleSide).filter((h) => !hidden[h.faceIndex]).sort((a, b) => a.distance - b.distance)[0] ?? null;
  }

  // faceAt returns the face of the mesh under a place, -1 for none.
  faceAt(pane, x, y) {
    const hit = this.hit(pane, x, y);
    return hit ? (this.fine ? this.fine.face : this.skin.faces)[hit.faceIndex] : -1;
  }

  // cornersAt returns the vertices of the face under a place, the nearest first.
  cornersAt(pane, x, y) {
    const hit = this.hit(pane, x, y), { fine, skin } = this;
    if (!hit) return [];
    const p = this.geometry.attributes.position, far = (i) => new Vector3().fromBufferAttribute(p, i).distanceToSquared(hit.point);
    const list = fine ? fine.cornersOf(fine.face[hit.faceIndex]).map((v) => [v, far(v)]) : [hit.face.a, hit.face.b, hit.face.c].map((i) => [skin.base[i], far(i)]);
    return list.sort((a, b) => a[1] - b[1]).map(([v]) => v);
  }

  vertexAt(pane, x, y) { return this.cornersAt(pane, x, y)[0] ?? -1; }

  // touchAt is the touch of a brush under a place: the triangle of the mesh and where in it, whatever the pose.
  touchAt(pane, x, y) {
    const hit = this.hit(pane, x, y);
    if (!hit) return null;
    let touch = this.fine?.touch(hit.faceIndex, hit.point);
    if (!this.fine) {
      const p = this.geometry.attributes.position, at = (i) => new Vector3().fromBufferAttribute(p, i);
      const b = new Triangle(at(hit.face.a), at(hit.face.b), at(hit.face.c)).getBarycoord(hit.point, new Vector3());
      touch = { t: hit.faceIndex, b: b?.y, c: b?.z }; // the corners of the tree's triangle are those of the mesh's, in the same order
    }
    return touch && { point: hit.point, normal: hit.face.normal, touch };
  }
}
