#include "reduce/append_round.h"

#include "base/parallel.h"

#include <algorithm>
#include <bit>

namespace thicket::reduce {

std::size_t RoundLog::collapses() const {
    std::size_t sum = 0;
    for (const RegionLog& log : regions)
        sum += log.collapses();
    return sum;
}

void numberNodes(RoundLog& round, const std::vector<Region>& regions, Surface& s, std::uint32_t& nodes) {
    round.firstNode.clear();
    for (const RegionLog& log : round.regions) {
        round.firstNode.push_back(nodes);
        nodes += log.nodes();
    }
    parallelChunks(regions.size(), 1, [&](std::size_t r, std::size_t) {
        const std::size_t end = r + 1 < regions.size() ? regions[r + 1].firstWedge : s.wedgeNode.size();
        for (std::size_t w = regions[r].firstWedge; w < end; ++w)
            if (std::uint32_t& node = s.wedgeNode[w]; (node & RegionLog::kMadeHere) != 0)
                node = round.firstNode[r] + (node & ~RegionLog::kMadeHere);
    });
}

RoundAppender::RoundAppender(Record& record, const Surface& s)
    : m_record(record), m_scale(s.scale), m_origin(s.origin), m_normals(!s.wedgeNormal.empty()),
      m_uvs(!s.wedgeUv.empty()), m_colors(!s.wedgeColor.empty()), m_uvs2(!s.wedgeUv2.empty()),
      m_inputs(static_cast<std::uint32_t>(record.positions.size())) {}

void RoundAppender::append(const RoundLog& round, const JobContext& job) {
    Record& record = m_record;
    const std::vector<RegionLog>& logs = round.regions;
    std::vector<std::uint32_t> first(logs.size() + 1, 0);
    for (std::size_t r = 0; r < logs.size(); ++r)
        first[r + 1] = first[r] + logs[r].collapses();
    const std::uint32_t total = first.back();
    struct Event {
        std::uint32_t nodes;
        std::uint32_t deaths;
        float error;
    };
    BigVector<Event> event(total);
    BigVector<std::uint64_t> order(total); // the bits of each one's cost, and its number
    parallelChunks(logs.size(), 1, [&](std::size_t r, std::size_t) {
        const RegionLog& log = logs[r];
        for (std::uint32_t e = 0; e < log.collapses(); ++e) {
            const std::uint32_t g = first[r] + e;
            event[g] = {log.nodesUpTo[e] - (e > 0 ? log.nodesUpTo[e - 1] : 0),
                        log.deathsUpTo[e] - (e > 0 ? log.deathsUpTo[e - 1] : 0), log.error[e]};
            order[g] = std::uint64_t{std::bit_cast<std::uint32_t>(log.cost[e])} << 32 | g;
        }
    });
    if (!sortKeys(order, job))
        return;

    BigVector<std::uint32_t> timeOf(total);
    BigVector<std::uint32_t> nodeOf(total);
    auto node = static_cast<std::uint32_t>(record.positions.size());
    for (const std::uint64_t key : order) {
        if (record.alive.size() % 65536 == 0 && job.cancelled())
            return;
        const auto g = static_cast<std::uint32_t>(key);
        timeOf[g] = static_cast<std::uint32_t>(record.alive.size());
        nodeOf[g] = node;
        node += event[g].nodes;
        record.alive.push_back(record.alive.back() - event[g].deaths);
        record.error.push_back(std::max(record.error.back(), static_cast<float>(event[g].error * m_scale)));
    }
    const auto grow = [node](auto& array, bool used) {
        if (used)
            array.resize(node);
    };
    grow(record.positions, true);
    grow(record.normals, m_normals);
    grow(record.uvs, m_uvs);
    grow(record.colors, m_colors);
    grow(record.extras.uvs2, m_uvs2);
    grow(record.standsFor, !record.standsFor.empty());
    record.parent.resize(node, kNone);
    record.birth.resize(node);
    m_numberOf.resize(node - m_inputs);
    parallelChunks(logs.size(), 1, job, [&](std::size_t r, std::size_t) {
        const RegionLog& log = logs[r];
        std::uint32_t made = 0;
        std::uint32_t dead = 0;
        std::uint32_t child = 0;
        std::uint32_t* numberOf = m_numberOf.data() + (round.firstNode[r] - m_inputs);
        const auto translated = [&](std::uint32_t n) {
            if ((n & RegionLog::kMadeHere) != 0)
                return numberOf[n & ~RegionLog::kMadeHere];
            return n < m_inputs ? n : m_numberOf[n - m_inputs];
        };
        for (std::uint32_t e = 0; e < log.collapses(); ++e) {
            const std::uint32_t time = timeOf[first[r] + e];
            std::uint32_t n = nodeOf[first[r] + e];
            for (; made < log.nodesUpTo[e]; ++made, ++n) {
                numberOf[made] = n;
                record.positions[n] = (log.place[made] * m_scale + m_origin).cast<float>();
                if (!log.normal.empty())
                    record.normals[n] = log.normal[made];
                if (!log.uv.empty())
                    record.uvs[n] = log.uv[made];
                if (!log.color.empty())
                    record.colors[n] = log.color[made];
                if (!log.uv2.empty())
                    record.extras.uvs2[n] = log.uv2[made];
                if (!log.original.empty()) {
                    const std::uint32_t input = record.standsFor[translated(log.original[made])];
                    record.standsFor[n] = input;
                    record.positions[n] = record.positions[input];
                }
                record.birth[n] = time;
                for (; child < log.childrenUpTo[made]; ++child)
                    record.parent[translated(log.child[child])] = n;
            }
            for (; dead < log.deathsUpTo[e]; ++dead)
                record.death[log.deadTriangle[dead]] = time;
        }
    });
}

} // namespace thicket::reduce
