#include "mesh/vertex_extras.h"

#include "mesh/alike.h"

#include <algorithm>
#include <utility>

namespace thicket {

bool VertexExtras::same(std::uint32_t a, std::uint32_t b) const {
    const auto alike = [a, b](const auto& values) { return values.empty() || detail::alike(values[a], values[b]); };
    return alike(uvs2) && (tangents.empty() || (tangents[a].w() < 0) == (tangents[b].w() < 0)) && alike(joints) &&
           alike(weights) &&
           std::all_of(morphs.begin(), morphs.end(), [&](const MorphTarget& m) { return alike(m.moves); });
}

std::uint64_t VertexExtras::mixSame(std::uint64_t hash, std::uint32_t v) const {
    const auto add = [&hash, v](const auto& values) {
        if (!values.empty())
            hash = detail::mixAll(hash, values[v]);
    };
    add(uvs2);
    add(joints);
    add(weights);
    for (const MorphTarget& morph : morphs)
        add(morph.moves);
    return tangents.empty() ? hash : detail::mix(hash, tangents[v].w() < 0 ? 1 : 0);
}

namespace {

template <class V>
void addMeanOf(std::vector<V>& to, const std::vector<V>& from, const std::uint32_t* vertices, const double* shares,
               std::size_t count) {
    if (from.empty())
        return;
    V sum = V::Zero();
    for (std::size_t i = 0; i < count; ++i)
        sum += static_cast<float>(shares[i]) * from[vertices[i]];
    to.push_back(sum);
}

} // namespace

void VertexExtras::addMean(const VertexExtras& from, const std::uint32_t* vertices, const double* shares,
                           std::size_t count) {
    addMeanOf(uvs2, from.uvs2, vertices, shares, count);
    if (!from.tangents.empty()) {
        Vec3f sum = Vec3f::Zero();
        for (std::size_t i = 0; i < count; ++i)
            sum += static_cast<float>(shares[i]) * from.tangents[vertices[i]].head<3>();
        const float size = sum.norm();
        Vec4f tangent = from.tangents[vertices[0]];
        if (size > 1e-6F)
            tangent.head<3>() = sum / size;
        tangents.push_back(tangent);
    }
    if (!from.joints.empty()) {
        std::vector<std::pair<std::uint16_t, double>> sums;
        for (std::size_t i = 0; i < count; ++i)
            for (int k = 0; k < 4; ++k) {
                const double weight = shares[i] * static_cast<double>(from.weights[vertices[i]][k]);
                const std::uint16_t joint = from.joints[vertices[i]][static_cast<std::size_t>(k)];
                const auto known =
                    std::find_if(sums.begin(), sums.end(), [joint](const auto& s) { return s.first == joint; });
                if (known != sums.end())
                    known->second += weight;
                else if (weight > 0)
                    sums.emplace_back(joint, weight);
            }
        std::stable_sort(sums.begin(), sums.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
        Joints own{};
        Vec4f ownWeights = Vec4f::Zero();
        for (std::size_t k = 0; k < std::min<std::size_t>(4, sums.size()); ++k) {
            own[k] = sums[k].first;
            ownWeights[static_cast<Eigen::Index>(k)] = static_cast<float>(sums[k].second);
        }
        const float total = ownWeights.sum();
        joints.push_back(own);
        weights.push_back(total > 0 ? Vec4f(ownWeights / total) : Vec4f(1, 0, 0, 0));
    }
    for (std::size_t i = 0; i < morphs.size(); ++i) {
        addMeanOf(morphs[i].moves, from.morphs[i].moves, vertices, shares, count);
        addMeanOf(morphs[i].normalMoves, from.morphs[i].normalMoves, vertices, shares, count);
    }
}

} // namespace thicket
