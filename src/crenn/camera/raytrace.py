"""A small ray tracer for the Tarrowick scenes: convex solids, point lamps, sky, gathered light.

Each solid is an intersection of half-spaces. Lamps light directly with shadows, falling off with the square of the
distance; light from the sky and from other surfaces is gathered by short paths on a coarse grid of the picture and
spread along surfaces of the same orientation (after Ward and Heckbert 1992, irradiance gradients, simplified).
"""

import numba as nb
import numpy as np

from crenn.camera.skies import sky
from crenn.camera.solids import COBBLES, FACADE, FIRE, MORNING, PLAIN, PLANKS, ROOF, STONE, TILES
from crenn.camera.textures import fractal, hashed, masonry, room, value_noise


@nb.njit(fastmath=True, error_model="numpy")
def _enters(nodes, n, ox, oy, oz, ix, iy, iz, nearest):
    """Distance at which a ray enters a node's box, or 1e30 if it misses it or comes later than ``nearest``."""
    a, b = (nodes[n, 0] - ox) * ix, (nodes[n, 3] - ox) * ix
    enter, leave = min(a, b), max(a, b)
    a, b = (nodes[n, 1] - oy) * iy, (nodes[n, 4] - oy) * iy
    enter, leave = max(enter, min(a, b)), min(leave, max(a, b))
    a, b = (nodes[n, 2] - oz) * iz, (nodes[n, 5] - oz) * iz
    enter, leave = max(enter, min(a, b)), min(leave, max(a, b))
    return enter if leave >= max(enter, 0.0) and enter < nearest else 1e30


@nb.njit(fastmath=True, error_model="numpy")
def hit(ox, oy, oz, dx, dy, dz, planes, ranges, nodes, limit, normal):
    """Nearest solid along a ray within ``limit``: (index or -1, distance); its normal into ``normal``.

    ``nodes`` is a tree of boxes (low, high, left or -1, right or solid) made by `Solids.arrays`.
    """
    best, nearest = -1, limit
    ix = 1.0 / dx if abs(dx) > 1e-9 else 1e9
    iy = 1.0 / dy if abs(dy) > 1e-9 else 1e9
    iz = 1.0 / dz if abs(dz) > 1e-9 else 1e9
    stack = np.empty(48, np.int32)
    stack[0] = 0
    depth = 1
    while depth > 0:
        depth -= 1
        n = stack[depth]
        if _enters(nodes, n, ox, oy, oz, ix, iy, iz, nearest) >= 1e30:
            continue
        left = int(nodes[n, 6])
        if left >= 0:
            right = int(nodes[n, 7])
            # The nearer child last, so that it is looked at first.
            if _enters(nodes, left, ox, oy, oz, ix, iy, iz, nearest) < _enters(
                nodes, right, ox, oy, oz, ix, iy, iz, nearest
            ):
                left, right = right, left
            stack[depth], stack[depth + 1] = left, right
            depth += 2
            continue
        s = int(nodes[n, 7])
        enter, leave, face = 1e-4, nearest, -1
        for p in range(ranges[s, 0], ranges[s, 1]):
            a = planes[p, 0] * dx + planes[p, 1] * dy + planes[p, 2] * dz
            d = planes[p, 3] - (planes[p, 0] * ox + planes[p, 1] * oy + planes[p, 2] * oz)
            if a > 1e-12:
                leave = min(leave, d / a)
            elif a < -1e-12:
                t = d / a
                if t > enter:
                    enter, face = t, p
            elif d < 0:
                leave = -1.0
            if enter > leave:
                break
        if face >= 0 and enter < leave and enter < nearest:
            best, nearest = s, enter
            normal[0], normal[1], normal[2] = planes[face, 0], planes[face, 1], planes[face, 2]
    return best, nearest


@nb.njit
def _facade(x, y, z, dx, dy, dz, normal, look, blur, albedo, glow, kind):
    """Plaster or brick wall with windows; a window's light goes into ``glow``."""
    seed = int(look[7])
    side = abs(normal[0]) > abs(normal[2])
    u = (z - look[11]) if side else (x - look[9])
    width = (look[14] - look[11]) if side else (look[12] - look[9])
    du, dn = (dz, -dx * normal[0]) if side else (dx, -dz * normal[2])
    v = y - look[10]
    brick = hashed(seed, 1, 1) < 0.5
    if brick:
        tone, joint = masonry(u, v, 0.24, 0.08, 0.007, seed, blur)
        for c in range(3):
            albedo[c] = albedo[c] * (0.8 + 0.25 * tone) * (1 - joint) + 0.42 * joint
    stain = 0.7 + 0.6 * fractal(x * 0.7, y * 0.7, z * 0.7 + seed, 4)
    grain = 0.9 + 0.2 * value_noise(x * 28, y * 28, z * 28)
    for c in range(3):
        albedo[c] *= stain * grain * (0.75 + 0.25 * min(v / 1.5, 1.0))
    columns = max(int(look[8]), 1) if not side else max(int(width / 2.6), 1)
    storey, pitch = 3.1, width / columns
    floor_index, column = int(np.floor(v / storey)), int(np.floor(u / pitch))
    if v > (look[13] - look[10]) - 0.9 or v < 0 or u < 0 or u > width:
        return
    cu, cv = u - column * pitch, v - floor_index * storey
    cell = seed * 131 + floor_index * 17 + column + (1000 if side else 0)
    shop = floor_index == 0 and hashed(seed, 21, 1) < 0.35
    half_w = pitch * 0.44 if shop else min(0.55, pitch * 0.27)
    bottom, top = (0.5, 2.6) if shop else (0.95, 2.55)
    if floor_index == 0 and not shop and column == int(hashed(seed, 23, 1) * columns):
        # A door with its step, and a lit fanlight above some.
        if abs(cu - pitch / 2) < 0.55 and cv < 2.5:
            if cv > 2.1 and hashed(seed, 24, 1) < 0.7:
                glow[0], glow[1], glow[2] = 0.9, 0.55, 0.22
            edge = abs(abs(cu - pitch / 2) - 0.25) < 0.15 and 0.3 < cv % 1.0 < 0.85
            shade = 0.6 if edge else 1.0
            albedo[0], albedo[1], albedo[2] = 0.10 * shade, (0.05 + 0.1 * hashed(seed, 25, 1)) * shade, 0.07 * shade
        return
    a = abs(cu - pitch / 2)
    if a < half_w + 0.10 and bottom - 0.12 < cv < top + 0.10:
        if a > half_w or cv < bottom or cv > top:
            # Stone surround and sill.
            bright = 1.25 if cv < bottom else 1.0
            albedo[0], albedo[1], albedo[2] = 0.50 * bright, 0.47 * bright, 0.42 * bright
            return
        bars = 0.03
        middle = abs(a) < bars or abs(cv - (bottom + 0.62 * (top - bottom))) < bars
        if a > half_w - 0.05 or cv < bottom + 0.05 or cv > top - 0.05 or middle:
            paint = 0.35 + 0.3 * hashed(seed, 27, 1)
            albedo[0], albedo[1], albedo[2] = paint, paint, paint * 0.95
            return
        albedo[0], albedo[1], albedo[2] = 0.01, 0.01, 0.012
        reflect = np.empty(3)
        rx, rz = (-dx, dz) if side else (dx, -dz)
        sky(kind, rx, max(dy, 0.02), rz, reflect)
        fresnel = 0.06 + 0.5 * (1 - min(dn, 1.0)) ** 5
        lit = hashed(cell, 29, 1) < (0.75 if shop else 0.42)
        if lit and dn > 0:
            room(cu, cv, du, dy, dn, pitch, storey, 3.5 + 2 * hashed(cell, 31, 1), cell, glow)
            drawn = hashed(cell, 33, 1)
            if drawn < 0.35 and not shop:
                # Curtains: the whole window glows through their folds.
                folds = 0.75 + 0.25 * np.sin(cu * 55.0 + 2 * np.sin(cu * 9.0))
                level = (0.25 + 0.5 * hashed(cell, 35, 1)) * folds
                glow[0], glow[1], glow[2] = level, level * 0.60, level * (0.24 + 0.2 * hashed(cell, 37, 1))
            elif drawn < 0.75 and a > half_w * 0.6:
                folds = 0.5 + 0.4 * np.sin(cu * 70.0)
                glow[0], glow[1], glow[2] = 0.30 * folds, 0.19 * folds, 0.10 * folds
        for c in range(3):
            glow[c] += fresnel * reflect[c]


@nb.njit
def surface(s, x, y, z, dx, dy, dz, distance, normal, looks, pixel, kind, albedo, glow):
    """Albedo and own light of a solid at a point; may tilt the normal."""
    look = looks[s]
    material = int(look[0])
    blur = pixel * distance
    for c in range(3):
        albedo[c] = look[1 + c]
        glow[c] = look[4 + c]
    if material == FACADE and abs(normal[1]) < 0.5:
        _facade(x, y, z, dx, dy, dz, normal, look, blur, albedo, glow, kind)
    elif material == STONE:
        u = x + z if abs(normal[1]) < 0.5 else x
        v = y if abs(normal[1]) < 0.5 else z
        tone, joint = masonry(u, v, 0.9, 0.42, 0.012, int(look[7]), blur)
        wear = 0.6 + 0.8 * fractal(x * 1.9, y * 1.9, z * 1.9, 5)
        damp = 0.45 + 0.55 * min(max(y / 0.8, 0.0), 1.0)
        for c in range(3):
            albedo[c] *= tone * wear * (1 - 0.6 * joint) * damp
    elif material == COBBLES:
        tone, joint = masonry(x, z, 0.20, 0.14, 0.016, 5, blur)
        wear = 0.55 + 0.9 * fractal(x * 1.1, 0.0, z * 1.1, 5)
        for c in range(3):
            albedo[c] *= tone * wear * (1 - 0.7 * joint)
        if abs(normal[1]) > 0.9:
            fade = 1.0 / (1.0 + (blur / 0.08) ** 2)
            normal[0] += 0.25 * fade * (value_noise(x * 9, 1.0, z * 9) - 0.5)
            normal[2] += 0.25 * fade * (value_noise(x * 9, 7.0, z * 9) - 0.5)
    elif material == ROOF:
        u = x if abs(normal[2]) > abs(normal[0]) else z
        tone, joint = masonry(u, y, 0.25, 0.20, 0.02, int(look[7]), blur)
        moss = 0.6 + 0.8 * fractal(x * 1.3, y * 1.3, z * 1.3, 4)
        for c in range(3):
            albedo[c] *= tone * moss * (1 - 0.6 * joint)
    elif material == PLANKS:
        u = y if abs(normal[1]) < 0.5 else x
        row = np.floor(u / 0.18)
        edge = min(u - row * 0.18, (row + 1) * 0.18 - u)
        fade = min(blur / 0.1, 1.0)
        dark = (0.55 if edge < 0.008 else 1.0) * (1 - fade) + 0.95 * fade
        fibre = 0.75 + 0.5 * value_noise(x * 3 + row, y * 40, z * 3) * (1 - fade) + 0.25 * fade
        for c in range(3):
            albedo[c] *= dark * fibre * (0.8 + 0.4 * hashed(int(row), int(look[7]), 3))
    elif material == TILES:
        size = 0.6
        i, j = int(np.floor(x / size)), int(np.floor(z / size))
        fx, fz = x - i * size, z - j * size
        edge = min(min(fx, size - fx), min(fz, size - fz))
        fade = min(blur / 0.3, 1.0)
        check = (0.62 if (i + j) % 2 else 1.0) * (1 - fade) + 0.81 * fade
        vein = 0.85 + 0.3 * fractal(x * 3 + 5 * hashed(i, j, 2), 0.3, z * 3, 5)
        for c in range(3):
            albedo[c] *= check * vein * (0.4 if edge < 0.006 and fade < 0.5 else 1.0)
    elif material == FIRE:
        # Embers and flame: brightest low in the middle, torn into tongues.
        tongue = fractal(x * 2.6, y * 1.3, z * 2.6, 5)
        low = min(max((look[13] - y) / max(look[13] - look[10], 1e-3), 0.0), 1.0)
        level = (0.15 + 1.6 * low * low) * (0.25 + 1.7 * tongue * tongue)
        for c in range(3):
            glow[c] *= level
    elif material == PLAIN:
        wear = 0.85 + 0.3 * fractal(x * 4, y * 4, z * 4, 3)
        for c in range(3):
            albedo[c] *= wear


@nb.njit(fastmath=True, error_model="numpy")
def _direct(x, y, z, nx, ny, nz, planes, ranges, nodes, lamps, reach, sun, out):
    """Light from lamps and sun at a point: irradiance over pi."""
    spare = np.empty(3)
    for c in range(3):
        out[c] = 0.0
    for i in range(lamps.shape[0]):
        lx, ly, lz = lamps[i, 0] - x, lamps[i, 1] - y, lamps[i, 2] - z
        d2 = lx * lx + ly * ly + lz * lz
        if d2 > reach * reach:
            continue
        d = np.sqrt(d2)
        cosine = (lx * nx + ly * ny + lz * nz) / d
        if cosine <= 0:
            continue
        # Light leaves the lantern above its own post and hood.
        shadow, _ = hit(
            x + nx * 1e-3,
            y + ny * 1e-3,
            z + nz * 1e-3,
            lx / d,
            ly / d,
            lz / d,
            planes,
            ranges,
            nodes,
            d - lamps[i, 6],
            spare,
        )
        if shadow >= 0:
            continue
        window = 1 - (d / reach) ** 2
        k = cosine / (d2 + 0.02) * window * window / np.pi
        for c in range(3):
            out[c] += lamps[i, 3 + c] * k
    if sun[3] > 0:
        cosine = sun[0] * nx + sun[1] * ny + sun[2] * nz
        if cosine > 0:
            shadow, _ = hit(
                x + nx * 1e-3, y + ny * 1e-3, z + nz * 1e-3, sun[0], sun[1], sun[2], planes, ranges, nodes, 1e4, spare
            )
            if shadow < 0:
                for c in range(3):
                    out[c] += sun[3 + c] * cosine / np.pi


@nb.njit(fastmath=True, error_model="numpy")
def _gather(x, y, z, nx, ny, nz, planes, ranges, nodes, looks, lamps, reach, sun, kind, rays, bounces, seed, out):
    """Light from sky and surfaces at a point, over pi, by short cosine-weighted paths."""
    normal, albedo, glow, light = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for c in range(3):
        out[c] = 0.0
    for i in range(rays):
        px, py, pz, mx, my, mz = x, y, z, nx, ny, nz
        tr, tg, tb = 1.0, 1.0, 1.0
        for bounce in range(bounces):
            a = 2 * np.pi * ((i * 0.618034 + hashed(seed, i, bounce * 7 + 1)) % 1.0)
            h = (i + hashed(seed, i, bounce * 7 + 2)) / rays if bounce == 0 else hashed(seed, i, bounce * 7 + 2)
            r, w = np.sqrt(h), np.sqrt(1 - h)
            tx, ty, tz = (0.0, 1.0, 0.0) if abs(my) < 0.9 else (1.0, 0.0, 0.0)
            ux, uy, uz = ty * mz - tz * my, tz * mx - tx * mz, tx * my - ty * mx
            n = 1 / np.sqrt(ux * ux + uy * uy + uz * uz)
            ux, uy, uz = ux * n, uy * n, uz * n
            vx, vy, vz = my * uz - mz * uy, mz * ux - mx * uz, mx * uy - my * ux
            dx = r * np.cos(a) * ux + r * np.sin(a) * vx + w * mx
            dy = r * np.cos(a) * uy + r * np.sin(a) * vy + w * my
            dz = r * np.cos(a) * uz + r * np.sin(a) * vz + w * mz
            s, t = hit(px + mx * 1e-3, py + my * 1e-3, pz + mz * 1e-3, dx, dy, dz, planes, ranges, nodes, 1e4, normal)
            if s < 0:
                if dy > -0.02:
                    sky(kind, dx, max(dy, 0.0), dz, light)
                    out[0] += tr * light[0]
                    out[1] += tg * light[1]
                    out[2] += tb * light[2]
                break
            px, py, pz = px + dx * t, py + dy * t, pz + dz * t
            mx, my, mz = normal[0], normal[1], normal[2]
            surface(s, px, py, pz, dx, dy, dz, t, normal, looks, 0.05, kind, albedo, glow)
            _direct(px, py, pz, mx, my, mz, planes, ranges, nodes, lamps, reach, sun, light)
            out[0] += tr * (min(glow[0], 3.0) + albedo[0] * light[0])
            out[1] += tg * (min(glow[1], 3.0) + albedo[1] * light[1])
            out[2] += tb * (min(glow[2], 3.0) + albedo[2] * light[2])
            tr, tg, tb = tr * albedo[0], tg * albedo[1], tb * albedo[2]
    for c in range(3):
        out[c] /= rays


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def gather_grid(camera, width, height, cell, planes, ranges, nodes, looks, lamps, reach, sun, kind, rays, bounces):
    """Gathered light on a coarse grid of the picture: (light, normal, distance), first two (gh, gw, 3)."""
    gh, gw = height // cell + 2, width // cell + 2
    light, normals = np.zeros((gh, gw, 3), np.float32), np.zeros((gh, gw, 3), np.float32)
    depth = np.zeros((gh, gw), np.float32)
    for gy in nb.prange(gh):
        normal, out = np.empty(3), np.empty(3)
        for gx in range(gw):
            dx, dy, dz = ray(camera, gx * cell, gy * cell, width, height)
            s, t = hit(camera[0], camera[1], camera[2], dx, dy, dz, planes, ranges, nodes, 1e4, normal)
            if s < 0:
                continue
            _gather(
                camera[0] + dx * t,
                camera[1] + dy * t,
                camera[2] + dz * t,
                normal[0],
                normal[1],
                normal[2],
                planes,
                ranges,
                nodes,
                looks,
                lamps,
                reach,
                sun,
                kind,
                rays,
                bounces,
                gy * gw + gx,
                out,
            )
            depth[gy, gx] = t
            for c in range(3):
                light[gy, gx, c], normals[gy, gx, c] = out[c], normal[c]
    return light, normals, depth


@nb.njit(inline="always", error_model="numpy")
def interleaved(row, rows):
    """Row to work on: neighbours go to different threads, so that dear parts of a picture are shared."""
    half = (rows + 1) // 2
    return 2 * row if row < half else 2 * (row - half) + 1


@nb.njit(inline="always", error_model="numpy")
def ray(camera, px, py, width, height):
    """Direction through a place of the picture; camera is (position, yaw, pitch, tangent of half width, flip)."""
    sx = (2.0 * px / width - 1.0) * camera[5]
    sy = (1.0 - 2.0 * py / height) * camera[5] * height / width
    cp, sp = np.cos(camera[4]), np.sin(camera[4])
    y1, z1 = sy * cp + sp, cp - sy * sp
    cy, sn = np.cos(camera[3]), np.sin(camera[3])
    dx, dz, dy = sx * cy + z1 * sn, z1 * cy - sx * sn, y1
    n = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
    return dx * n, dy * n, dz * n


@nb.njit(fastmath=True, error_model="numpy")
def _shade(
    ox,
    oy,
    oz,
    dx,
    dy,
    dz,
    planes,
    ranges,
    nodes,
    looks,
    lamps,
    reach,
    sun,
    kind,
    pixel,
    grid,
    normals,
    depth,
    gx,
    gy,
    normal,
    albedo,
    glow,
    light,
    out,
):
    """Radiance along one ray; (gx, gy) is its place on the gathered grid. Returns solid and distance."""
    s, t = hit(ox, oy, oz, dx, dy, dz, planes, ranges, nodes, 1e4, normal)
    if s < 0:
        if dy < 0:
            # Open water before its ripples are drawn.
            out[0], out[1], out[2] = 0.012, 0.018, 0.026
        else:
            sky(kind, dx, dy, dz, out)
        return s, t
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    nx, ny, nz = normal[0], normal[1], normal[2]
    surface(s, x, y, z, dx, dy, dz, t, normal, looks, pixel, kind, albedo, glow)
    _direct(x, y, z, normal[0], normal[1], normal[2], planes, ranges, nodes, lamps, reach, sun, light)
    i, j = int(gy), int(gx)
    fy, fx = gy - i, gx - j
    total, ar, ag, ab = 1e-9, 0.0, 0.0, 0.0
    for a in range(2):
        for b in range(2):
            ii, jj = min(max(i + a, 0), grid.shape[0] - 1), min(max(j + b, 0), grid.shape[1] - 1)
            same = nx * normals[ii, jj, 0] + ny * normals[ii, jj, 1] + nz * normals[ii, jj, 2]
            w = (fy if a else 1 - fy) * (fx if b else 1 - fx) + 1e-3
            w *= max(same, 0.0) ** 8 / (0.02 + (abs(depth[ii, jj] - t) / t) ** 2) + 1e-6
            total += w
            ar += w * grid[ii, jj, 0]
            ag += w * grid[ii, jj, 1]
            ab += w * grid[ii, jj, 2]
    ar, ag, ab = ar / total, ag / total, ab / total
    if total < 6.0 and kind != MORNING:
        # Nothing near on the grid is this surface: out of doors, light of the open sky takes its place.
        sky(kind, nx * 0.5, 0.6 + 0.4 * ny, nz * 0.5, out)
        own = total / 6.0
        open_share = (1 - own) * (0.35 + 0.3 * ny)
        ar, ag, ab = own * ar + open_share * out[0], own * ag + open_share * out[1], own * ab + open_share * out[2]
    out[0] = glow[0] + albedo[0] * (light[0] + ar)
    out[1] = glow[1] + albedo[1] * (light[1] + ag)
    out[2] = glow[2] + albedo[2] * (light[2] + ab)
    return s, t


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace(
    camera,
    width,
    height,
    planes,
    ranges,
    nodes,
    looks,
    lamps,
    reach,
    sun,
    kind,
    grid,
    normals,
    depth,
    cell,
    samples,
    mask,
    image,
    solid,
):
    """Trace the pixels of ``mask`` with ``samples`` rays each into ``image`` (h, w, 3), and which solid they show."""
    pixel = 2.0 * camera[5] / width
    for row in nb.prange(height):
        y = interleaved(row, height)
        normal, albedo, glow, light, out = np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
        for x in range(width):
            if not mask[y, x]:
                continue
            r, g, b = 0.0, 0.0, 0.0
            for i in range(samples):
                # R2 sequence (Roberts 2018): even cover of the pixel.
                ax = (0.5 + i * 0.7548776662) % 1.0 if samples > 1 else 0.5
                ay = (0.5 + i * 0.5698402910) % 1.0 if samples > 1 else 0.5
                dx, dy, dz = ray(camera, x + ax, y + ay, width, height)
                s, _t = _shade(
                    camera[0],
                    camera[1],
                    camera[2],
                    dx,
                    dy,
                    dz,
                    planes,
                    ranges,
                    nodes,
                    looks,
                    lamps,
                    reach,
                    sun,
                    kind,
                    pixel,
                    grid,
                    normals,
                    depth,
                    (x + ax) / cell,
                    (y + ay) / cell,
                    normal,
                    albedo,
                    glow,
                    light,
                    out,
                )
                r, g, b = r + out[0], g + out[1], b + out[2]
                if i == 0:
                    solid[y, x] = s
            image[y, x, 0], image[y, x, 1], image[y, x, 2] = r / samples, g / samples, b / samples
