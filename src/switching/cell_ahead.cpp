// A cell through moments in turn.

#include "switching/copy_news.h"

#include <bit>

namespace thicket::detail {

CellAhead::Way CellAhead::wayFrom(double farthest) const {
    const double metres = m_moments.back()->moved - m_moments.front()->moved;
    const double radians = m_moments.back()->turned - m_moments.front()->turned;
    return {metres, metres + (farthest + metres) * radians};
}

void CellAhead::take(const BatchPass& pass, std::uint32_t index, const Way& way, std::uint32_t looked,
                     const LaneAnswers& found, double growth) {
    const CellTable::Cell& cell = pass.table.cells[index];
    const CopyMemory* const memories = pass.mixedOf(index);
    const CopyMemory& all = pass.own.cells[index].all;
    const auto metres = static_cast<float>(way.metres * 1.0001);
    m_open = true;
    m_count = 0;
    m_room = {kFarAway, kFarAway};
    const std::size_t moments = m_moments.size();
    std::fill_n(m_events.begin(), moments, 0U);
    const std::uint32_t later = (moments < kMostMoments ? (1U << moments) - 1 : ~0U) & ~1U;
    const bool crosses = m_look->rule.planeCount > 0 && looked > 0;
    if (crosses)
        findSides(cell, looked, found, growth);
    for (std::uint32_t k = 0; k < looked; ++k) {
        const std::uint8_t rest = found.rest[k];
        if (rest == kLeftOpen || found.others[k] <= metres || !settled(memories != nullptr ? memories[k] : all)) {
            gather(pass, cell.first + k, k);
            m_room.metres = rest == kLeftOpen ? 0 : std::min(m_room.metres, static_cast<double>(found.others[k]));
            m_room.withTurns = std::min(m_room.withTurns, static_cast<double>(found.planes[k]));
            continue;
        }
        if (!crosses)
            continue;
        const auto outside = static_cast<std::uint32_t>(m_sides.outside[k]);
        const auto unsure = static_cast<std::uint32_t>(m_sides.unsure[k]);
        m_inView[k] = rest;
        // What is in doubt is looked at closely, and once more after that.
        for (std::uint32_t left = ((outside ^ (outside << 1)) | unsure | (unsure << 1)) & later; left != 0;
             left &= left - 1) {
            const auto moment = static_cast<std::size_t>(std::countr_zero(left));
            m_coming[moment][m_events[moment]++] = static_cast<std::uint8_t>(k);
        }
    }
    m_far = static_cast<double>(pass.own.cells[index].far);
    m_moved = pass.moved;
    m_turned = pass.turned;
}

/// On which side of the view's planes copies are at each moment.
void CellAhead::findSides(const CellTable::Cell& cell, std::uint32_t looked, const LaneAnswers& found, double growth) {
    const BatchPass& first = *m_moments.front();
    const LaneRule& rule = m_look->rule;
    const double sizes = first.batch.chain.radius + static_cast<double>(rule.pivot.norm() + rule.pivotSlack);
    m_planes.clear();
    std::array<float, kMostMoments> more;
    for (std::size_t i = 0; i < m_moments.size(); ++i) {
        const BatchPass& pass = *m_moments[i];
        for (std::size_t p = 0; p < rule.planeCount; ++p)
            m_planes.push_back(pass.planeFrom(cell, m_look->planes[p]));
        more[i] = static_cast<float>((pass.moved - first.moved) * growth * sizes * 1.00001);
    }
    findLaneSides(found.drawn, &first.table.scale[cell.first], rule, m_planes, std::span(more).first(m_moments.size()),
                  looked, m_sides);
}

void CellAhead::gather(const BatchPass& pass, std::uint32_t slot, std::uint32_t k) {
    const CellTable& table = pass.table;
    const std::uint32_t i = m_count++;
    m_which[i] = static_cast<std::uint8_t>(k);
    m_x[i] = table.x[slot];
    m_y[i] = table.y[slot];
    m_z[i] = table.z[slot];
    m_scale[i] = table.scale[slot];
    if (!table.factor.empty())
        m_factor[i] = table.factor[slot];
    if (pass.soft > 0)
        m_spread[i] = table.spread[slot];
    m_places[i] = table.placementOf[slot];
}

void CellAhead::goOn(std::uint32_t index) {
    const BatchPass& pass = *m_moments[++m_at];
    m_changedCount = 0;
    SelectState::Cell& cell = pass.own.cells[index];
    const double went = pass.moved - m_moved;
    const double withTurns = went + (m_far + pass.moved - m_moments.front()->moved) * (pass.turned - m_turned);
    const bool due = m_count > 0 && (went >= m_room.metres * 0.9999 || withTurns >= m_room.withTurns * 0.9999);
    if (!due && !cell.unsettled && m_events[m_at] == 0)
        return;
    // Before memories may be made, which the look reads.
    LaneAnswers found;
    if (due)
        look(pass, index, found);
    BatchPass::News news(pass, index, this);
    for (std::uint32_t i = 0; i < m_events[m_at]; ++i) {
        const std::uint8_t k = m_coming[m_at][i];
        news.take(k, codeNow(k));
    }
    for (std::uint32_t i = 0; i < m_count; ++i)
        if (due)
            news.take(m_which[i], found.codes[i]);
        else
            news.settle(m_which[i]);
    if (!news.finish())
        cell.room = 0;
}

CopyCode CellAhead::codeNow(std::uint8_t k) const {
    const auto outside = static_cast<std::uint32_t>(m_sides.outside[k]);
    const auto unsure = static_cast<std::uint32_t>(m_sides.unsure[k]);
    const auto now = std::uint32_t{1} << m_at;
    if ((unsure & now) != 0)
        return kLeftOpen;
    if ((outside & now) != 0)
        return codeOf(Culled::OutOfView);
    // What one remembers that was in view before may say otherwise than what was asked of one that was not.
    const std::uint32_t before = now - 1;
    return (outside & before) == before && (unsure & before) == 0 ? CopyCode{m_inView[k]} : kLeftOpen;
}

/// Looks at those that may be anything.
void CellAhead::look(const BatchPass& pass, std::uint32_t index, LaneAnswers& found) {
    m_moved = pass.moved;
    m_turned = pass.turned;
    pass.aim(pass.table.cells[index], *m_look);
    const CopyMemory* const memories = pass.mixedOf(index);
    m_memories.resize(kMostInCell);
    for (std::uint32_t i = 0; memories != nullptr && i < m_count; ++i)
        m_memories[i] = memories[m_which[i]];
    decideLanes({m_x.data(), m_y.data(), m_z.data(), m_scale.data(),
                 pass.table.factor.empty() ? nullptr : m_factor.data(), pass.soft > 0 ? m_spread.data() : nullptr,
                 m_places.data(), memories != nullptr ? m_memories.data() : nullptr, &pass.own.cells[index].all,
                 m_count},
                m_look->rule, found);
    const bool open =
        std::find(found.codes.begin(), found.codes.begin() + m_count, kLeftOpen) != found.codes.begin() + m_count;
    m_room = {open ? 0 : static_cast<double>(found.leastOthers), static_cast<double>(found.leastPlanes)};
}

} // namespace thicket::detail
