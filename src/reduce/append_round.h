#pragma once
// From what the regions of a round did to entries of the record.

#include "reduce/region_collapse.h"

namespace thicket::reduce {

/// One round's logs, a region each. Until the order of its collapses is known, a node made in region r goes by
/// firstNode[r] and its number there.
struct RoundLog {
    std::vector<RegionLog> regions;
    std::vector<std::uint32_t> firstNode;

    [[nodiscard]] std::size_t collapses() const;
};

/// Gives the nodes made in a round numbers from `nodes` on, which grows by their count, and names them so in the
/// surface, so that the next round can begin.
void numberNodes(RoundLog& round, const std::vector<Region>& regions, Surface& surface, std::uint32_t& nodes);

/// Takes rounds in their order, each beside the next round's collapses.
class RoundAppender {
public:
    /// REQUIRES the record holds the input alone, and outlives this.
    RoundAppender(Record& record, const Surface& surface);
    /// Puts the round's collapses in the order of their cost and appends them to the record. When the job is
    /// cancelled, the record is of no more use.
    void append(const RoundLog& round, const JobContext& job);

private:
    Record& m_record;
    double m_scale;
    Vec3d m_origin;
    bool m_normals;
    bool m_uvs;
    bool m_colors;
    bool m_uvs2;
    std::uint32_t m_inputs;                ///< nodes of the input
    std::vector<std::uint32_t> m_numberOf; ///< of each made node, by the number it went by before: the record's
};

} // namespace thicket::reduce
