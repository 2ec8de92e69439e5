// Selections for many moments in turn, a stretch of them at a time: while what is hidden and counted in one stretch is
// worked out moment by moment, copies are decided, and tiles chosen, for the next. Each part of the cells is taken through
// the whole stretch at once; what that changes is noted, to be shown when its moment comes.

#include "base/parallel.h"
#include "switching/cell_costs.h"
#include "switching/select_steps.h"

#include <array>

namespace thicket {
namespace {

using detail::BatchPass;
using detail::CellAhead;
using detail::Step;

constexpr std::size_t kStretch = 16; // moments
static_assert(kStretch <= detail::kMostMoments);
constexpr std::size_t kCellsInPortion = 128;

/// Some cells of a batch, and what came to be known of them in the moments of a stretch.
class Portion {
public:
    Portion(std::size_t batch, std::size_t from, std::size_t to) : m_batch(batch), m_from(from), m_to(to) {}

    void decide(const std::vector<std::unique_ptr<Step>>& steps) {
        m_copies.clear();
        for (auto& cells : m_cells)
            cells.clear();
        std::vector<const BatchPass*> passes;
        for (const auto& step : steps)
            passes.push_back(&step->passes[m_batch]);
        const std::vector<std::size_t> ends = endsOf(passes);
        CellAhead ahead;
        for (std::size_t c = m_from; c < m_to; ++c) {
            const auto index = static_cast<std::uint32_t>(c);
            ahead.close();
            for (std::size_t i = 0; i < passes.size(); ++i) {
                const BatchPass& pass = *passes[i];
                if (pass.anew) {
                    pass.startAnew(index);
                    ahead.close();
                }
                if (ahead.open()) {
                    ahead.goOn(index);
                } else if (!pass.own.cells[index].unsettled && pass.stays(index)) {
                    if (passes[ends[i] - 1]->stays(index))
                        i = ends[i] - 1; // then there is nothing new until then
                    continue;
                } else {
                    ahead.begin(std::span(passes).subspan(i, ends[i] - i));
                    pass.decideCell(index, &ahead);
                }
                note(pass, index, ahead, i);
            }
        }
    }
    void show(std::size_t moment, Step& step) const {
        const BatchPass& pass = step.passes[m_batch];
        for (const Changed& changed : m_cells[moment]) {
            if (!changed.mixed) {
                SelectState::Cell& cell = pass.own.cells[changed.cell];
                cell.all = changed.all;
                cell.mixed = false;
                pass.own.counted[changed.cell] = 0;
                continue;
            }
            CopyMemory* const copies = pass.expand(changed.cell);
            detail::CellTally tally(pass, changed.cell);
            for (std::size_t i = changed.first; i < changed.end; ++i) {
                const auto& [k, memory] = m_copies[i];
                tally.replace(k, copies[k], memory);
                copies[k] = memory;
            }
            tally.finish();
        }
    }

private:
    struct Changed {
        std::uint32_t cell;
        bool mixed;
        CopyMemory all;
        std::size_t first; ///< of m_copies
        std::size_t end;
    };
    struct Copy {
        std::uint8_t k;
        CopyMemory memory;
    };
    /// For each moment the next one at which more than the camera changes.
    static std::vector<std::size_t> endsOf(const std::vector<const BatchPass*>& passes) {
        std::vector<std::size_t> ends(passes.size(), passes.size());
        for (std::size_t i = passes.size() - 1; i > 0; --i)
            ends[i - 1] = passes[i]->anew ? i : ends[i];
        return ends;
    }
    void note(const BatchPass& pass, std::uint32_t index, const CellAhead& ahead, std::size_t moment) {
        if (std::exchange(pass.own.counted[index], std::uint8_t{1}) != 0)
            return;
        const SelectState::Cell& cell = pass.own.cells[index];
        const std::size_t first = m_copies.size();
        if (const CopyMemory* copies = pass.mixedOf(index))
            for (const std::uint8_t k : ahead.changed())
                m_copies.push_back({k, copies[k]});
        m_cells[moment].push_back({index, cell.mixed, cell.all, first, m_copies.size()});
    }

    std::size_t m_batch;
    std::size_t m_from;
    std::size_t m_to;
    std::array<std::vector<Changed>, kStretch> m_cells; ///< a moment
    std::vector<Copy> m_copies;
};

struct Stretch {
    std::size_t first = 0;
    std::vector<SelectMoment> moments;
    std::vector<std::unique_ptr<Step>> steps; ///< of these
    std::vector<Portion> portions;
    std::vector<std::vector<TileCut>> cuts; ///< a moment
    std::vector<double> seconds;            ///< that choosing them took
};

class InTurn {
public:
    InTurn(const SelectInput& input, std::size_t count, const std::function<SelectMoment(std::size_t)>& moment,
           const std::function<void(std::size_t, const SelectMoment&, const Selection&)>& each)
        : m_input(input), m_count(count), m_moment(moment), m_each(each) {
        for (Stretch& stretch : m_stretches) {
            for (std::size_t b = 0; b < input.batches.size(); ++b) {
                const std::size_t cells = input.batches[b].copies->cells.size();
                for (std::size_t from = 0; from < cells; from += kCellsInPortion)
                    stretch.portions.emplace_back(b, from, std::min(cells, from + kCellsInPortion));
            }
            stretch.cuts.resize(kStretch);
            stretch.seconds.resize(kStretch);
        }
    }

    void run(const std::function<bool(std::size_t)>& goesOn) {
        goOn(nullptr, m_stretches[0]);
        for (std::size_t now = 0; !m_stretches[now].moments.empty(); now = 1 - now) {
            if (!goesOn(m_stretches[now].first))
                return;
            goOn(&m_stretches[now], m_stretches[1 - now]);
        }
    }

private:
    /// Shows one stretch, where there is one, beside looking ahead at the next. The longest first: who is done helps with
    /// the portions that are left.
    void goOn(Stretch* now, Stretch& next) {
        take(next);
        begin(next);
        const std::size_t portions = next.moments.empty() ? 0 : next.portions.size();
        parallelChunks(2 + portions, 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to; ++i)
                if (i > 1)
                    next.portions[i - 2].decide(next.steps);
                else if (i == 1)
                    chooseTiles(next);
                else if (now != nullptr)
                    show(*now);
        });
    }

    /// The next moments. None but the first of a stretch needs a new epoch, which all that is remembered is moved to.
    void take(Stretch& stretch) {
        stretch.first = m_taken;
        stretch.moments.clear();
        while (m_taken < m_count && stretch.moments.size() < kStretch) {
            if (!m_next)
                m_next = m_moment(m_taken);
            if (detail::needsNewEpoch(m_ahead, m_next->seconds) && !stretch.moments.empty())
                break;
            stretch.moments.push_back(std::move(*m_next));
            m_next.reset();
            ++m_taken;
        }
    }

    void begin(Stretch& stretch) {
        stretch.steps.clear();
        for (const SelectMoment& moment : stretch.moments) {
            stretch.steps.push_back(std::make_unique<Step>(moment));
            detail::begin(m_input, m_ahead, *stretch.steps.back());
        }
        if (!stretch.steps.empty())
            for (const BatchPass& pass : stretch.steps.front()->passes)
                pass.prepare();
    }

    void chooseTiles(Stretch& stretch) {
        for (std::size_t i = 0; i < stretch.moments.size(); ++i)
            stretch.seconds[i] = detail::chooseTiles(m_input, stretch.moments[i], m_tiles, stretch.cuts[i]);
    }

    void show(Stretch& stretch) {
        for (std::size_t i = 0; i < stretch.moments.size(); ++i) {
            Step step(stretch.moments[i]);
            detail::begin(m_input, m_shown, step);
            for (const BatchPass& pass : step.passes)
                pass.prepare();
            for (const Portion& portion : stretch.portions)
                portion.show(i, step);
            m_out.grounds.swap(stretch.cuts[i]);
            m_out.groundSeconds = stretch.seconds[i];
            detail::finish(m_input, step, m_shown, m_out);
            m_each(stretch.first + i, step.moment, m_out);
        }
    }

    const SelectInput& m_input;
    std::size_t m_count;
    const std::function<SelectMoment(std::size_t)>& m_moment;
    const std::function<void(std::size_t, const SelectMoment&, const Selection&)>& m_each;
    std::size_t m_taken = 0;
    std::optional<SelectMoment> m_next;
    std::array<Stretch, 2> m_stretches;
    SelectState m_ahead; ///< of what is decided; nothing is hidden in it
    std::vector<TileState> m_tiles;
    SelectState m_shown;
    Selection m_out;
};

} // namespace

void selectInTurn(const SelectInput& input, std::size_t count, const std::function<SelectMoment(std::size_t)>& moment,
                  const std::function<void(std::size_t, const SelectMoment&, const Selection&)>& each,
                  const std::function<bool(std::size_t)>& goesOn) {
    InTurn(input, count, moment, each).run(goesOn);
}

} // namespace thicket
