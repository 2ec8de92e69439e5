#include "switching/occlusion.h"

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>

namespace thicket {
namespace {

constexpr float kNearly = 0.01F; // pixels that rounding may move a line by, with much to spare
constexpr float kHuge = 1e7F;    // pixels; beyond, places no longer fit an int

/// Column or row, held within the buffer and one more on either side.
int cell(float at, int count) {
    return static_cast<int>(std::floor(std::clamp(at, -1.0F, static_cast<float>(count))));
}

/// From the middle to the nearest, and to the farthest, corner.
template <class Points> float depthOf(const Points& half) {
    return std::abs(half[0].z) + std::abs(half[1].z) + std::abs(half[2].z);
}

} // namespace

void CoverBuffer::begin(const View& view, int rows) {
    m_view = view;
    m_right = view.forward.cross(view.up);
    m_height = std::max(rows, 4);
    m_width = std::max(4, static_cast<int>(std::lround(m_height * view.aspect)));
    const double tangent = std::tan(view.fovY / 2);
    m_scaleY = static_cast<float>(m_height / (2 * tangent));
    m_scaleX = static_cast<float>(m_width / (2 * tangent * view.aspect));
    m_near = static_cast<float>(view.nearMetres);
    const auto size = static_cast<std::size_t>(m_width) * static_cast<std::size_t>(m_height);
    m_inverse.assign(size, 0);
    m_blocksWide = (m_width + kBlock - 1) / kBlock;
    m_blocks.assign(static_cast<std::size_t>(m_blocksWide) * static_cast<std::size_t>((m_height + kBlock - 1) / kBlock),
                    0);
    m_cells.resize(size); // each occluder leaves them as it found them
    m_window = {0, m_width - 1, 0, m_height - 1};
}

void CoverBuffer::keepTo(std::span<const OrientedBox> boxes) {
    Extent window{m_width, -1, m_height, -1};
    for (const OrientedBox& box : boxes) {
        const Point c = inCamera(box.middle);
        const std::array<Point, 3> half = turned(box);
        if (c.z - depthOf(half) <= m_near)
            continue; // nothing hides it
        const Extent e = extentOf(c, half);
        window = {std::min(window.left, e.left), std::max(window.right, e.right), std::min(window.top, e.top),
                  std::max(window.bottom, e.bottom)};
    }
    m_window = window;
}

bool CoverBuffer::beside(const Vec3f& c, float r) const {
    if (c.z() + r < m_near)
        return true;
    // Planes from the eye through the sides of the window, and a pixel more.
    const auto outside = [&](float at, float tangent, float sign) {
        return sign * (at - tangent * c.z()) > r * std::sqrt(1 + tangent * tangent);
    };
    const float halfWidth = 0.5F * static_cast<float>(m_width);
    const float halfHeight = 0.5F * static_cast<float>(m_height);
    return outside(c.x(), (static_cast<float>(m_window.left - 1) - halfWidth) / m_scaleX, -1) ||
           outside(c.x(), (static_cast<float>(m_window.right + 2) - halfWidth) / m_scaleX, 1) ||
           outside(c.y(), (halfHeight - static_cast<float>(m_window.top - 1)) / m_scaleY, 1) ||
           outside(c.y(), (halfHeight - static_cast<float>(m_window.bottom + 2)) / m_scaleY, -1);
}

CoverBuffer::Point CoverBuffer::inCamera(const Vec3d& p) const {
    const Vec3d v = p - m_view.eye;
    return {static_cast<float>(v.dot(m_right)), static_cast<float>(v.dot(m_view.up)),
            static_cast<float>(v.dot(m_view.forward))};
}

CoverBuffer::Spot CoverBuffer::onBuffer(const Point& p) const {
    const float inverse = 1 / p.z;
    return {0.5F * static_cast<float>(m_width) + p.x * inverse * m_scaleX,
            0.5F * static_cast<float>(m_height) - p.y * inverse * m_scaleY, inverse};
}

void CoverBuffer::drawTriangle(const Spot& a, const Spot& b, const Spot& c) {
    const int x0 = std::max(m_window.left, cell(std::min({a.x, b.x, c.x}) - kNearly, m_width));
    const int x1 = std::min(m_window.right, cell(std::max({a.x, b.x, c.x}) + kNearly, m_width));
    const int y0 = std::max(m_window.top, cell(std::min({a.y, b.y, c.y}) - kNearly, m_height));
    const int y1 = std::min(m_window.bottom, cell(std::max({a.y, b.y, c.y}) + kNearly, m_height));
    if (x0 > x1 || y0 > y1)
        return;
    m_left = std::min(m_left, x0);
    m_right2 = std::max(m_right2, x1);
    m_top = std::min(m_top, y0);
    m_bottom = std::max(m_bottom, y1);
    const float farthest = std::min({a.inverse, b.inverse, c.inverse});
    const float area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    const bool thin = std::abs(area) < 1e-6F;
    const float gx = thin ? 0 : ((b.inverse - a.inverse) * (c.y - a.y) - (c.inverse - a.inverse) * (b.y - a.y)) / area;
    const float gy = thin ? 0 : ((c.inverse - a.inverse) * (b.x - a.x) - (b.inverse - a.inverse) * (c.x - a.x)) / area;
    const Spot* corners[4] = {&a, &b, &c, &a};
    float ex[3];
    float ey[3];
    const float turn = area < 0 ? -1.0F : 1.0F;
    for (int i = 0; i < 3; ++i) {
        ex[i] = -turn * (corners[i + 1]->y - corners[i]->y);
        ey[i] = turn * (corners[i + 1]->x - corners[i]->x);
    }
    // What an edge must be short of for its triangle to touch a pixel that is not on its side in the middle.
    float slack[3];
    float atRow[3];
    for (int i = 0; i < 3; ++i) {
        slack[i] = -(0.5F + kNearly) * (std::abs(ex[i]) + std::abs(ey[i]));
        atRow[i] = ex[i] * (static_cast<float>(x0) + 0.5F - corners[i]->x) +
                   ey[i] * (static_cast<float>(y0) + 0.5F - corners[i]->y);
    }
    const float half = 0.5F * (std::abs(gx) + std::abs(gy));
    float rowInverse =
        a.inverse + gx * (static_cast<float>(x0) + 0.5F - a.x) + gy * (static_cast<float>(y0) + 0.5F - a.y) - half;
    Cell* row = &m_cells[static_cast<std::size_t>(y0) * static_cast<std::size_t>(m_width)];
    for (int y = y0; y <= y1; ++y, row += m_width) {
        float e[3] = {atRow[0], atRow[1], atRow[2]};
        float there = rowInverse;
        for (int x = x0; x <= x1; ++x) {
            if (thin || (e[0] >= slack[0] && e[1] >= slack[1] && e[2] >= slack[2])) {
                Cell& at = row[x];
                const float inverse = thin ? farthest : std::max(farthest, there);
                at.inverse = at.touched ? std::min(at.inverse, inverse) : inverse;
                at.touched = true;
                at.middle |= !thin && e[0] >= 0 && e[1] >= 0 && e[2] >= 0;
            }
            for (int i = 0; i < 3; ++i)
                e[i] += ex[i];
            there += gx;
        }
        for (int i = 0; i < 3; ++i)
            atRow[i] += ey[i];
        rowInverse += gy;
    }
}

/// A face turned to the eye, cut off at the near plane, where its cut is an open edge.
void CoverBuffer::fillFront(const Point& a, const Point& b, const Point& c) {
    if (a.z > m_near && b.z > m_near && c.z > m_near) {
        drawTriangle(onBuffer(a), onBuffer(b), onBuffer(c));
        return;
    }
    const Point corners[3] = {a, b, c};
    Point kept[4];
    int count = 0;
    Point cut[2];
    int cuts = 0;
    for (int i = 0; i < 3; ++i) {
        const Point& p = corners[i];
        const Point& q = corners[(i + 1) % 3];
        if (p.z > m_near)
            kept[count++] = p;
        if ((p.z > m_near) != (q.z > m_near)) {
            const float t = (m_near - p.z) / (q.z - p.z);
            const Point on{p.x + t * (q.x - p.x), p.y + t * (q.y - p.y), m_near};
            kept[count++] = on;
            if (cuts < 2)
                cut[cuts++] = on;
        }
    }
    for (int i = 2; i < count; ++i)
        drawTriangle(onBuffer(kept[0]), onBuffer(kept[i - 1]), onBuffer(kept[i]));
    if (cuts == 2)
        drawContour(cut[0], cut[1]);
}

void CoverBuffer::drawContour(const Point& from, const Point& to) {
    Point p = from;
    Point q = to;
    if (p.z < m_near && q.z < m_near)
        return;
    const auto cutAt = [this](Point& hidden, const Point& other) {
        const float t = (m_near - hidden.z) / (other.z - hidden.z);
        hidden = {hidden.x + t * (other.x - hidden.x), hidden.y + t * (other.y - hidden.y), m_near};
    };
    if (p.z < m_near)
        cutAt(p, q);
    else if (q.z < m_near)
        cutAt(q, p);
    Spot a = onBuffer(p);
    Spot b = onBuffer(q);
    if (a.y > b.y)
        std::swap(a, b);
    const int y0 = std::max(m_window.top, cell(a.y - kNearly, m_height));
    const int y1 = std::min(m_window.bottom, cell(b.y + kNearly, m_height));
    const float rise = b.y - a.y;
    for (int y = y0; y <= y1; ++y) {
        float low = 0;
        float high = 1;
        if (rise > kNearly) {
            low = std::clamp((static_cast<float>(y) - kNearly - a.y) / rise, 0.0F, 1.0F);
            high = std::clamp((static_cast<float>(y) + 1 + kNearly - a.y) / rise, 0.0F, 1.0F);
        }
        const float u = std::clamp(a.x + low * (b.x - a.x), -kHuge, kHuge);
        const float v = std::clamp(a.x + high * (b.x - a.x), -kHuge, kHuge);
        const float slack = kNearly + 1e-6F * std::max(std::abs(u), std::abs(v));
        const int x0 = std::max(m_window.left, cell(std::min(u, v) - slack, m_width));
        const int x1 = std::min(m_window.right, cell(std::max(u, v) + slack, m_width));
        for (int x = x0; x <= x1; ++x)
            m_cells[static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x)]
                .contour = true;
        if (x0 <= x1) {
            m_left = std::min(m_left, x0);
            m_right2 = std::max(m_right2, x1);
            m_top = std::min(m_top, y);
            m_bottom = std::max(m_bottom, y);
        }
    }
}

void CoverBuffer::add(const Occluder& o, const Vec3d& position, const Quatd& rotation, double scale) {
    m_left = m_width;
    m_top = m_height;
    m_right2 = m_bottom = -1;
    if (m_points.size() < o.places.size()) {
        m_points.resize(o.places.size());
        m_turned.resize(o.places.size());
    }
    if (++m_added == 0) {
        std::fill(m_turned.begin(), m_turned.end(), 0U);
        m_added = 1;
    }
    // Put together in double precision, so that floats only carry places relative to the camera.
    Eigen::Matrix3d axes;
    axes << m_right.transpose(), m_view.up.transpose(), m_view.forward.transpose();
    const Eigen::Matrix3f turn = (axes * rotation.toRotationMatrix() * scale).cast<float>();
    const Vec3f from = (axes * (position - m_view.eye)).cast<float>();
    const auto pointOf = [&](std::uint32_t v) -> const Point& {
        if (std::exchange(m_turned[v], m_added) != m_added) {
            const Vec3f p = turn * o.places[v] + from;
            m_points[v] = {p.x(), p.y(), p.z()};
        }
        return m_points[v];
    };
    m_facing.assign(o.triangleCount(), 2);
    const auto size = static_cast<float>(scale);
    for (const Occluder::Cluster& cluster : o.clusters) {
        const Vec3f c = turn * cluster.centre + from;
        const float r = cluster.radius * size * 1.001F + 1e-6F * c.norm();
        if (beside(c, r)) // nothing of it is drawn, nor are edges that it has
            continue;
        for (std::size_t t = cluster.first; t < std::size_t{cluster.first} + cluster.count; ++t) {
            const Point& a = pointOf(o.indices[3 * t]);
            const Point& b = pointOf(o.indices[3 * t + 1]);
            const Point& q = pointOf(o.indices[3 * t + 2]);
            const double ux = b.x - a.x, uy = b.y - a.y, uz = b.z - a.z;
            const double vx = q.x - a.x, vy = q.y - a.y, vz = q.z - a.z;
            const double towards = a.x * (uy * vz - uz * vy) + a.y * (uz * vx - ux * vz) + a.z * (ux * vy - uy * vx);
            // Depth runs away from the eye, so the camera's axes are left-handed and the sense of turning is the other
            // one.
            m_facing[t] = towards > 0 ? 1 : 0;
            if (m_facing[t] != 0)
                fillFront(a, b, q);
        }
    }
    for (const Occluder::Edge& e : o.edges) {
        const std::uint8_t left = m_facing[e.left];
        const std::uint8_t right = m_facing[e.right];
        if (left == 2 || right == 2)
            continue; // it lies where one of them does: out of view
        if (e.left == e.right ? left != 0 : left != right)
            drawContour(m_points[e.from], m_points[e.to]);
    }
    for (int y = m_top; y <= m_bottom; ++y)
        for (int x = m_left; x <= m_right2; ++x) {
            const std::size_t i =
                static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x);
            Cell& at = m_cells[i];
            if (at.middle && !at.contour)
                raise(x, y, at.inverse);
            at = {};
        }
}

std::array<CoverBuffer::Point, 3> CoverBuffer::turned(const OrientedBox& box) const {
    std::array<Point, 3> half;
    for (std::size_t i = 0; i < 3; ++i)
        half[i] = {static_cast<float>(box.half[i].dot(m_right)), static_cast<float>(box.half[i].dot(m_view.up)),
                   static_cast<float>(box.half[i].dot(m_view.forward))};
    return half;
}

CoverBuffer::Extent CoverBuffer::extentOf(const Point& middle, const std::array<Point, 3>& half) const {
    float x0 = kHuge;
    float x1 = -kHuge;
    float y0 = kHuge;
    float y1 = -kHuge;
    for (int k = 0; k < 8; ++k) {
        Point p = middle;
        for (int i = 0; i < 3; ++i) {
            const float sign = ((k >> i) & 1) != 0 ? 1.0F : -1.0F;
            const Point& h = half[static_cast<std::size_t>(i)];
            p = {p.x + sign * h.x, p.y + sign * h.y, p.z + sign * h.z};
        }
        const Spot s = onBuffer(p);
        x0 = std::min(x0, s.x);
        x1 = std::max(x1, s.x);
        y0 = std::min(y0, s.y);
        y1 = std::max(y1, s.y);
    }
    return {std::max(0, cell(x0 - kNearly, m_width)), std::min(m_width - 1, cell(x1 + kNearly, m_width)),
            std::max(0, cell(y0 - kNearly, m_height)), std::min(m_height - 1, cell(y1 + kNearly, m_height))};
}

bool CoverBuffer::hides(const OrientedBox& box) const {
    const Point c = inCamera(box.middle);
    const std::array<Point, 3> half = turned(box);
    const float deep = depthOf(half);
    if (c.z - deep <= m_near)
        return false;
    const float nearest = 1 / (c.z - deep);
    const float behind = nearest * 1.0001F;
    // Most are decided here, at the pixel of their middle.
    const Spot middle = onBuffer(c);
    const int mx = cell(middle.x, m_width);
    const int my = cell(middle.y, m_height);
    if (mx >= 0 && mx < m_width && my >= 0 && my < m_height && at(mx, my) <= behind)
        return false;
    const Extent e = extentOf(c, half);
    if (e.left > e.right || e.top > e.bottom)
        return false; // out of view: not for this to say
    for (int y = e.top; y <= e.bottom; ++y)
        for (int x = e.left; x <= e.right; ++x)
            if (at(x, y) <= behind)
                return false;
    return true;
}

void CoverBuffer::merge(const CoverBuffer& other) {
    for (std::size_t i = 0; i < m_inverse.size(); ++i)
        m_inverse[i] = std::max(m_inverse[i], other.m_inverse[i]);
    for (std::size_t i = 0; i < m_blocks.size(); ++i)
        m_blocks[i] = std::max(m_blocks[i], other.m_blocks[i]);
}

void CoverBuffer::raise(int x, int y, float inverse) {
    float& pixel =
        m_inverse[static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x)];
    pixel = std::max(pixel, inverse);
    float& most = m_blocks[static_cast<std::size_t>(y / kBlock) * static_cast<std::size_t>(m_blocksWide) +
                           static_cast<std::size_t>(x / kBlock)];
    most = std::max(most, inverse);
}

bool CoverBuffer::mayHide(const Vec3d& middle, double radius) const {
    const Point c = inCamera(middle);
    const auto r = static_cast<float>(radius);
    if (c.z + r <= m_near)
        return false;
    return c.z - r <= m_near || blocksCoveredBefore(extentOf(c, r), 1 / (c.z + r));
}

bool CoverBuffer::mayHideAbout(const Vec3d& middle, double off) const {
    const Point c = inCamera(middle);
    const auto r = static_cast<float>(off);
    if (c.z + r <= m_near)
        return false;
    if (c.z - r <= m_near)
        return true;
    const Extent e = extentOf(c, r);
    const bool inside = e.left > 0 && e.right < m_width - 1 && e.top > 0 && e.bottom < m_height - 1;
    return !inside || coveredBefore(e, 1 / (c.z + r) * (1 - 1e-5F));
}

bool CoverBuffer::mayShow(const Vec3d& from, const Vec3d& to, double radius) const {
    const Point a = inCamera(from);
    const Point b = inCamera(to);
    const auto r = static_cast<float>(radius);
    if (std::min(a.z, b.z) - r <= m_near)
        return true;
    const Extent e = extentOf(a, r);
    const Extent f = extentOf(b, r);
    return std::min(e.left, f.left) <= std::max(e.right, f.right) &&
           std::min(e.top, f.top) <= std::max(e.bottom, f.bottom);
}

/// Of a sphere.
CoverBuffer::Extent CoverBuffer::extentOf(const Point& c, float r) const {
    const float near = 1 / (c.z - r);
    const float far = 1 / (c.z + r);
    const auto least = [&](float at) { return (at - r) * (at - r < 0 ? near : far); };
    const auto most = [&](float at) { return (at + r) * (at + r > 0 ? near : far); };
    const float halfWidth = 0.5F * static_cast<float>(m_width);
    const float halfHeight = 0.5F * static_cast<float>(m_height);
    return {std::max(0, cell(halfWidth + least(c.x) * m_scaleX - kNearly, m_width)),
            std::min(m_width - 1, cell(halfWidth + most(c.x) * m_scaleX + kNearly, m_width)),
            std::max(0, cell(halfHeight - most(c.y) * m_scaleY - kNearly, m_height)),
            std::min(m_height - 1, cell(halfHeight - least(c.y) * m_scaleY + kNearly, m_height))};
}

bool CoverBuffer::mayHide(const OrientedBox& box) const {
    const Point c = inCamera(box.middle);
    const std::array<Point, 3> half = turned(box);
    const float deep = depthOf(half);
    if (c.z + deep <= m_near)
        return false;
    if (c.z - deep <= m_near)
        return true;
    return coveredBefore(extentOf(c, half), 1 / (c.z + deep));
}

bool CoverBuffer::blocksCoveredBefore(const Extent& e, float inverse) const {
    if (e.left > e.right || e.top > e.bottom)
        return false;
    for (int y = e.top / kBlock; y <= e.bottom / kBlock; ++y)
        for (int x = e.left / kBlock; x <= e.right / kBlock; ++x)
            if (block(x, y) > inverse)
                return true;
    return false;
}

bool CoverBuffer::coveredBefore(const Extent& e, float inverse) const {
    if (e.left > e.right || e.top > e.bottom)
        return false;
    for (int by = e.top / kBlock; by <= e.bottom / kBlock; ++by)
        for (int bx = e.left / kBlock; bx <= e.right / kBlock; ++bx) {
            if (block(bx, by) <= inverse)
                continue;
            for (int y = std::max(e.top, by * kBlock); y <= std::min(e.bottom, by * kBlock + kBlock - 1); ++y)
                for (int x = std::max(e.left, bx * kBlock); x <= std::min(e.right, bx * kBlock + kBlock - 1); ++x)
                    if (at(x, y) > inverse)
                        return true;
        }
    return false;
}

bool CoverBuffer::mayHide(const Vec3d& middle) const {
    const Point c = inCamera(middle);
    if (c.z <= m_near)
        return false;
    const Spot at = onBuffer(c);
    const int x = cell(at.x, m_width);
    const int y = cell(at.y, m_height);
    if (x < 0 || x >= m_width || y < 0 || y >= m_height)
        return true; // the part of it that is in view may be
    // What hides it lies before all of it, and so before its middle, in every pixel that it touches.
    return this->at(x, y) > at.inverse * (1 - 1e-5F);
}

double CoverBuffer::covered() const {
    const auto count = std::count_if(m_inverse.begin(), m_inverse.end(), [](float inverse) { return inverse > 0; });
    return static_cast<double>(count) / static_cast<double>(std::max<std::size_t>(m_inverse.size(), 1));
}

} // namespace thicket
