#include "io/import/take_apart.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace thicket::detail {
namespace {

constexpr double kAlike = 1e-4; // of a rotation's or a stretch's entries
constexpr double kLeastScale = 1e-6;
constexpr double kMostScale = 1e6;

/// A linear transform as a rotation of a stretch of volume 1, mirrored in x where it mirrors, and a scale.
struct Parted {
    Eigen::Matrix3d turn;
    Eigen::Matrix3d stretch;
    double scale = 1;
};

std::optional<Parted> partsOf(const Eigen::Affine3d& at) {
    const double volume = std::abs(at.linear().determinant());
    const double scale = std::cbrt(volume);
    if (!at.matrix().allFinite() || !(scale >= kLeastScale) || !(scale <= kMostScale))
        return std::nullopt;
    Parted out;
    out.scale = scale;
    // A mirror can lie in any plane with a rotation to match; copies are alike only where it is always the same one.
    const Eigen::Vector3d mirror(at.linear().determinant() < 0 ? -1 : 1, 1, 1);
    Eigen::Affine3d plain = Eigen::Affine3d::Identity();
    plain.linear() = at.linear() * mirror.asDiagonal();
    plain.computeRotationScaling(&out.turn, &out.stretch);
    out.stretch = out.stretch * mirror.asDiagonal() / scale;
    return out.stretch.allFinite() ? std::optional(out) : std::nullopt;
}

using StretchKey = std::array<long, 9>;
StretchKey keyOf(const Eigen::Matrix3d& stretch) {
    StretchKey key{};
    for (Eigen::Index i = 0; i < 9; ++i)
        key[static_cast<std::size_t>(i)] = std::lround(stretch(i) / kAlike);
    return key;
}

/// Brings what stands upright in the file upright by itself, when all copies agree on which way that is; else leaves it.
Quatd uprighting(const std::vector<Parted>& copies) {
    const Vec3d up = copies.front().turn.transpose() * kUp;
    for (const Parted& copy : copies)
        if ((copy.turn * up - kUp).norm() > 10 * kAlike)
            return Quatd::Identity();
    return Quatd::FromTwoVectors(up, kUp);
}

/// Lays copies down as placements of the first.
void placeCopies(const std::vector<StandingMesh>& meshes, const std::vector<std::size_t>& copies,
                 const std::vector<Parted>& parts, Thing& thing) {
    const Quatd upright = uprighting(parts);
    const Parted& first = parts.front();
    thing.own = Eigen::Affine3d::Identity();
    thing.own->linear() = upright.toRotationMatrix() * first.scale * first.stretch;
    for (std::size_t i = 0; i < copies.size(); ++i) {
        Placement p;
        p.position = meshes[copies[i]].at.translation();
        p.rotation = (Quatd(parts[i].turn) * upright.conjugate()).normalized();
        p.scale = parts[i].scale / first.scale;
        thing.placed.push_back(p);
    }
}

bool separates(char c) {
    return c == '_' || c == '.' || c == '-' || c == ' ' || c == '#' || c == ':';
}

} // namespace

std::optional<Placement> placementOf(const Eigen::Affine3d& transform) {
    const Eigen::Matrix3d m = transform.linear();
    const double scale = std::cbrt(m.determinant());
    if (!(scale >= kLeastScale) || !(scale <= kMostScale) || !transform.translation().allFinite())
        return std::nullopt;
    const Eigen::Matrix3d turn = m / scale;
    if ((turn * turn.transpose() - Eigen::Matrix3d::Identity()).cwiseAbs().maxCoeff() > kAlike)
        return std::nullopt;
    Placement p;
    p.position = transform.translation();
    p.rotation = Quatd(turn).normalized();
    p.scale = scale;
    return p;
}

std::string FreeNames::take(std::string name) {
    while (++m_taken[name] > 1) {
        const int times = m_taken[name];
        name = fmt::format("{} {}", name, times);
    }
    return name;
}

std::string commonName(const std::vector<std::string>& names) {
    if (names.empty())
        return {};
    std::string_view common = names.front();
    for (const std::string& name : names) {
        const auto [end, other] = std::mismatch(common.begin(), common.end(), name.begin(), name.end());
        common = common.substr(0, static_cast<std::size_t>(end - common.begin()));
    }
    if (names.size() > 1 && common.size() < names.front().size()) {
        // What is left of the number that tells them apart, and what separates it; not a number before that.
        while (!common.empty() && common.back() >= '0' && common.back() <= '9')
            common.remove_suffix(1);
        while (!common.empty() && separates(common.back()))
            common.remove_suffix(1);
    }
    constexpr std::size_t kLeast = 3; // letters that say something
    return common.size() >= kLeast ? std::string(common) : names.front();
}

int MovingObjects::of(int node) const {
    int highest = -1;
    std::size_t steps = 0; // a damaged file may go round
    for (; node >= 0 && steps <= m_parents.size(); node = m_parents[static_cast<std::size_t>(node)], ++steps)
        if (m_moves[static_cast<std::size_t>(node)])
            highest = node;
    return highest;
}

std::vector<Thing> takeApart(const std::vector<StandingMesh>& meshes, const std::string& nameless) {
    struct Group {
        std::vector<std::size_t> members;
        std::vector<Parted> parts; ///< empty of what moves or has no size
    };
    std::vector<Group> groups;
    std::map<int, std::size_t> moving;                                     // by object
    std::map<std::pair<std::vector<int>, StretchKey>, std::size_t> copies; // by what they hold and their stretch
    for (std::size_t i = 0; i < meshes.size(); ++i) {
        const auto parts = meshes[i].object < 0 ? partsOf(meshes[i].at) : std::nullopt;
        std::size_t at = groups.size();
        if (meshes[i].object >= 0)
            at = moving.try_emplace(meshes[i].object, at).first->second;
        else if (parts)
            at = copies.try_emplace({meshes[i].meshes, keyOf(parts->stretch)}, at).first->second;
        if (at == groups.size())
            groups.emplace_back();
        groups[at].members.push_back(i);
        if (parts)
            groups[at].parts.push_back(*parts);
    }
    std::vector<Thing> out;
    FreeNames free;
    for (Group& group : groups) {
        Thing thing;
        std::vector<std::string> names;
        for (const std::size_t member : group.members)
            names.push_back(meshes[member].name);
        const std::string name = commonName(names);
        thing.name = free.take(name.empty() ? nameless : name);
        if (group.parts.empty())
            thing.placed.emplace_back();
        else
            placeCopies(meshes, group.members, group.parts, thing);
        thing.members = std::move(group.members);
        if (thing.own)
            thing.members.resize(1);
        out.push_back(std::move(thing));
    }
    return out;
}

} // namespace thicket::detail
