#include "reduce/measure_surface.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket::reduce {
namespace {

constexpr std::size_t kSurfaceChunk = 2048; // points whose quadrics a core's cache holds
constexpr double kTipWeight = 20;           // of a plane across a tip, for the area round it

/// Scaled attributes of a wedge: normals, then UVs, then colours.
AttributeValues attributeValues(const Surface& s, std::uint32_t wedge) {
    AttributeValues out;
    std::size_t k = 0;
    if (!s.wedgeNormal.empty())
        for (int i = 0; i < 3; ++i)
            out[k++] = s.normalScale * static_cast<double>(s.wedgeNormal[wedge][i]);
    if (!s.wedgeUv.empty())
        for (int i = 0; i < 2; ++i)
            out[k++] = s.uvScale * static_cast<double>(s.wedgeUv[wedge][i]);
    if (!s.wedgeColor.empty())
        for (int i = 0; i < 4; ++i)
            out[k++] = s.colorScale * static_cast<double>(s.wedgeColor[wedge][i]);
    if (!s.wedgeUv2.empty())
        for (int i = 0; i < 2; ++i)
            out[k++] = s.uv2Scale * static_cast<double>(s.wedgeUv2[wedge][i]);
    if (!s.wedgeMotion.empty())
        for (const float value : s.wedgeMotion[wedge])
            out[k++] = static_cast<double>(value);
    return out;
}

struct FaceFrame {
    Vec3d normal; ///< unit
    double area = 0;
};

FaceFrame frameOf(const Surface& s, std::uint32_t t) {
    const std::uint32_t* c = &s.corners[4 * std::size_t{t}];
    const Vec3d& a = s.places[c[0]];
    const Vec3d cross = (s.places[c[1]] - a).cross(s.places[c[2]] - a);
    const double size = cross.norm();
    return {size > 0 ? Vec3d(cross / size) : Vec3d(0, 0, 0), size / 2};
}

/// What a face adds to the attribute quadrics at its corners. Gradients over it are damped across the narrow side, so
/// that slivers cannot dominate.
void addAttributes(const Surface& s, std::uint32_t t, const FaceFrame& face, const AttributeSpan& to) {
    const auto place = [&](std::uint32_t corner) -> const Vec3d& { return s.places[s.corners[corner]]; };
    std::uint32_t i0 = 4 * t;
    double squared = 0;
    for (std::uint32_t c = 4 * t; c < 4 * t + 3; ++c)
        if (const double l = (place(cornerAfter(c)) - place(c)).squaredNorm(); l > squared) {
            squared = l;
            i0 = c;
        }
    const double length = std::sqrt(squared);
    const std::uint32_t i1 = cornerAfter(i0);
    const std::uint32_t i2 = cornerBefore(i0);
    const Vec3d& p0 = place(i0);
    const Vec3d along = (place(i1) - p0) / length;
    const Vec3d across = face.normal.cross(along);
    const Vec3d e2 = place(i2) - p0;
    const double e2u = e2.dot(along);
    const double e2v = e2.dot(across);
    const double damping = 0.02 * length;
    const AttributeValues v0 = attributeValues(s, s.cornerWedge[wedgeAt(i0)]);
    const AttributeValues v1 = attributeValues(s, s.cornerWedge[wedgeAt(i1)]);
    const AttributeValues v2 = attributeValues(s, s.cornerWedge[wedgeAt(i2)]);
    const double perLength = 1 / length;
    const double perHeight = e2v / (e2v * e2v + damping * damping);
    const double startU = p0.dot(along);
    const double startV = p0.dot(across);
    AttributeValues gu;
    AttributeValues gv;
    AttributeValues d;
    for (std::size_t i = 0; i < static_cast<std::size_t>(s.attributes); ++i) {
        gu[i] = (v1[i] - v0[i]) * perLength;
        gv[i] = (v2[i] - v0[i] - gu[i] * e2u) * perHeight;
        d[i] = v0[i] - gu[i] * startU - gv[i] * startV;
    }
    to.addFace(along, across, gu, gv, d, face.area);
}

/// A point's corner in one triangle.
struct FanCorner {
    std::uint32_t triangle;
    std::uint32_t next; ///< the triangle's points after it and before it, and the wedges there
    std::uint32_t before;
    std::uint32_t wedge;
    std::uint32_t nextWedge;
    std::uint32_t beforeWedge;
};

/// What stands round a point, for the question whether anything has to be held in place there.
struct Round {
    static constexpr std::size_t kFew = 16; ///< compared each with each, eight at a time
    std::size_t count = 0;
    std::array<std::uint32_t, kFew> next; ///< points; kNone beyond the count
    std::array<std::uint32_t, kFew> nextWedge;
    std::array<std::uint32_t, kFew> beforeWedge;
    std::uint32_t own = kNone; ///< the first triangle's wedge at the point itself
    bool oneWedge = true;

    void begin() {
        count = 0;
        next.fill(kNone);
        nextWedge.fill(kNone);
        beforeWedge.fill(kNone);
        oneWedge = true;
    }
    void add(const Surface& s, std::uint32_t corner) {
        const std::uint32_t after = cornerAfter(corner);
        const std::uint32_t wedge = s.cornerWedge[wedgeAt(corner)];
        if (count == 0)
            own = wedge;
        if (count < kFew) {
            next[count] = s.corners[after];
            nextWedge[count] = s.cornerWedge[wedgeAt(after)];
            beforeWedge[count] = s.cornerWedge[wedgeAt(cornerBefore(corner))];
        }
        oneWedge &= wedge == own;
        ++count;
    }
    /// True where the triangles close round the point, two at each edge, and no seam runs there.
    [[nodiscard]] bool closesEvenly() const {
        if (count > kFew || !oneWedge)
            return false;
        // Every next wedge is one triangle's before and nothing stands there twice.
        std::uint32_t follows = 0;
        std::uint32_t again = 0;
        const std::size_t width = (count + 7) / 8 * 8;
        for (std::size_t i = 0; i < count; ++i)
            for (std::size_t j = 0; j < width; ++j) {
                follows += beforeWedge[j] == nextWedge[i] ? 1U : 0U;
                again += next[j] == next[i] ? 1U : 0U;
                again += beforeWedge[j] == beforeWedge[i] ? 1U : 0U;
            }
        return follows == count && again == 2 * count;
    }
};

/// The corners at a point, with all that `constrainEdges` asks of them.
void listFan(const Surface& s, std::span<const std::uint32_t> corners, std::vector<FanCorner>& fan) {
    fan.clear();
    for (const std::uint32_t corner : corners) {
        const std::uint32_t next = cornerAfter(corner);
        const std::uint32_t before = cornerBefore(corner);
        fan.push_back({corner / 4, s.corners[next], s.corners[before], s.cornerWedge[wedgeAt(corner)],
                       s.cornerWedge[wedgeAt(next)], s.cornerWedge[wedgeAt(before)]});
    }
}

struct EdgeUse {
    std::uint32_t other;
    std::uint32_t triangle;
    std::uint32_t ownWedge;
    std::uint32_t otherWedge;
    bool leaving; ///< the triangle runs from the point to `other`
};

void constrainEdges(Surface& s, const BigVector<std::uint32_t>& materialOfWedge, const ReduceOptions& options,
                    std::uint32_t p, const std::vector<FanCorner>& fan, std::vector<EdgeUse>& uses, Quadric& q) {
    uses.clear();
    for (const FanCorner& c : fan) {
        uses.push_back({c.next, c.triangle, c.wedge, c.nextWedge, true});
        uses.push_back({c.before, c.triangle, c.wedge, c.beforeWedge, false});
    }
    std::sort(uses.begin(), uses.end(), [](const EdgeUse& a, const EdgeUse& b) {
        return a.other != b.other ? a.other < b.other : a.triangle < b.triangle;
    });
    for (std::size_t i = 0; i < uses.size();) {
        std::size_t j = i;
        bool sameWedges = true;
        bool sameMaterial = true;
        int leaving = 0;
        for (; j < uses.size() && uses[j].other == uses[i].other; ++j) {
            sameWedges &= uses[j].ownWedge == uses[i].ownWedge && uses[j].otherWedge == uses[i].otherWedge;
            sameMaterial &= materialOfWedge[uses[j].ownWedge] == materialOfWedge[uses[i].ownWedge];
            leaving += uses[j].leaving ? 1 : 0;
        }
        const bool border = j - i == 1;
        if (border)
            s.flags[p] |= Surface::kBorder | Surface::kIrregular;
        if (j - i != 2 || leaving != 1)
            s.flags[p] |= Surface::kIrregular;
        if (border || !sameWedges) {
            const double weight = border || !sameMaterial ? options.borderWeight : options.seamWeight;
            const Vec3d edge = s.places[uses[i].other] - s.places[p];
            for (std::size_t u = i; u < j; ++u) {
                const FaceFrame face = frameOf(s, uses[u].triangle);
                const Vec3d side = face.normal.cross(edge);
                const double size = side.norm();
                if (size > 0)
                    q.addPlane(side / size, -side.dot(s.places[p]) / size, weight * edge.squaredNorm() / 2);
            }
        }
        i = j;
    }
}

/// What is painted keeps its triangles also where it is flat: moving along the surface counts a little there.
constexpr double kCareAlong = 0.004;

/// The first wedge of a point or of one after it.
std::uint32_t firstWedgeOf(const Surface& s, std::size_t point) {
    return static_cast<std::uint32_t>(std::lower_bound(s.wedgePoint.begin(), s.wedgePoint.end(), point) -
                                      s.wedgePoint.begin());
}

} // namespace

double areaOf(const Surface& s, std::uint32_t triangle) {
    return frameOf(s, triangle).area;
}

namespace {

/// The part of the work that fills the quadrics of points [begin, end) and of their wedges. A face is looked at once
/// and added at all its corners that are among them.
class Stretch {
public:
    Stretch(Surface& s, const std::vector<float>& care, const ReduceOptions& options, std::size_t begin,
            std::size_t end)
        : m_s(s), m_care(care), m_gain(options.careGain), m_begin(static_cast<std::uint32_t>(begin)),
          m_end(static_cast<std::uint32_t>(end)) {
        std::fill(s.quadrics.begin() + m_begin, s.quadrics.begin() + m_end, Quadric::zero());
        m_facing.assign(end - begin, Vec3d::Zero());
        if (s.attributes > 0)
            std::fill(s.attributesOf(firstWedgeOf(s, begin)), s.attributesOf(firstWedgeOf(s, end)), 0.0);
    }
    /// To be called for all corners at all of the points, in their order.
    void add(std::uint32_t p, std::uint32_t corner) {
        const std::uint32_t next = m_s.corners[cornerAfter(corner)];
        const std::uint32_t before = m_s.corners[cornerBefore(corner)];
        if ((next < p && next >= m_begin) || (before < p && before >= m_begin))
            return; // it was looked at there
        const std::uint32_t t = corner / 4;
        FaceFrame face = frameOf(m_s, t);
        if (!(face.area > 0))
            return;
        face.area *= gainOf(t);
        const AttributeSpan span{m_row.data(), m_s.attributes};
        if (m_s.attributes > 0) {
            std::fill_n(m_row.begin(), AttributeSpan::stride(m_s.attributes), 0.0);
            addAttributes(m_s, t, face, span);
        }
        Quadric plane = Quadric::zero();
        plane.addPlane(face.normal, -face.normal.dot(m_s.places[p]), face.area);
        plane.weight = face.area;
        for (std::uint32_t c = 4 * t; c < 4 * t + 3; ++c) {
            const std::uint32_t q = m_s.corners[c];
            if (q < m_begin || q >= m_end)
                continue;
            m_s.quadrics[q].add(plane);
            m_facing[q - m_begin] += face.area * face.normal;
            if (!m_care.empty() && m_care[q] > 0)
                for (int axis = 0; axis < 3; ++axis)
                    m_s.quadrics[q].addPlane(Vec3d::Unit(axis), -m_s.places[q][axis],
                                             kCareAlong * static_cast<double>(m_care[q]) * face.area);
            if (m_s.attributes > 0)
                AttributeSpan{m_s.attributesOf(m_s.cornerWedge[wedgeAt(c)]), m_s.attributes}.add(m_row.data());
        }
    }

    /// Holds a point where the faces round it look far apart: a horn's tip lies near all of their planes when it moves
    /// back along them, and would be the first to go. To be called once all corners at it were added. Where the surface
    /// is even, nothing; along an edge, nothing that keeps a point from moving along it.
    void holdTip(std::uint32_t p) {
        const Vec3d& facing = m_facing[p - m_begin];
        Quadric& q = m_s.quadrics[p];
        const double size = facing.norm();
        if (!(size > 1e-9 * q.weight))
            return;
        const double sharp = 1 - std::min(size / q.weight, 1.0);
        const Vec3d n = facing / size;
        q.addPlane(n, -n.dot(m_s.places[p]), kTipWeight * sharp * sharp * q.weight);
    }

private:
    /// Costs are squared distances.
    [[nodiscard]] double gainOf(std::uint32_t t) const {
        if (m_care.empty())
            return 1;
        double mean = 0;
        for (std::size_t k = 0; k < 3; ++k)
            mean += static_cast<double>(m_care[m_s.corners[4 * std::size_t{t} + k]]) / 3;
        return (1 + m_gain * mean) * (1 + m_gain * mean);
    }

    Surface& m_s;
    const std::vector<float>& m_care;
    double m_gain;
    std::uint32_t m_begin;
    std::uint32_t m_end;
    std::vector<Vec3d> m_facing; ///< a point each: sum of the faces' normals, by area
    std::array<double, AttributeSpan::stride(kMostAttributes)> m_row{};
};

} // namespace

void measureSurface(Surface& s, const CornerLists& lists, const BigVector<std::uint32_t>& materialOfWedge,
                    const std::vector<float>& care, const ReduceOptions& options, const JobContext& job) {
    parallelChunks(s.places.size(), kSurfaceChunk, job, [&](std::size_t begin, std::size_t end) {
        std::vector<FanCorner> fan;
        std::vector<EdgeUse> uses;
        Round round;
        Stretch stretch(s, care, options, begin, end);
        for (auto p = static_cast<std::uint32_t>(begin); p < end && !job.cancelled(); ++p) {
            const std::span<const std::uint32_t> corners = lists.of(p);
            round.begin();
            for (const std::uint32_t corner : corners) {
                stretch.add(p, corner);
                round.add(s, corner);
            }
            stretch.holdTip(p);
            if (!round.closesEvenly()) {
                listFan(s, corners, fan);
                constrainEdges(s, materialOfWedge, options, p, fan, uses, s.quadrics[p]);
            }
            if (corners.empty())
                s.flags[p] |= Surface::kGone;
        }
    });
}

} // namespace thicket::reduce
