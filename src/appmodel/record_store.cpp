#include "appmodel/record_store.h"

#include <algorithm>
#include <unistd.h>

namespace thicket::app {
namespace {

/// The record, and the tree of triangles for asking how near a point is, which takes about this much a triangle.
std::size_t bytesOf(const ThinState& state) {
    constexpr std::size_t kQueryBytes = 60;
    return state.record->bytes() + kQueryBytes * state.source->triangleCount();
}

} // namespace

std::size_t RecordStore::usualLimit() {
    const auto memory =
        static_cast<std::size_t>(sysconf(_SC_PHYS_PAGES)) * static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
    constexpr std::size_t kMost = std::size_t{6} << 30;
    return std::min(memory / 3, kMost);
}

std::optional<ThinState> RecordStore::find(const Subject& subject) const {
    const std::lock_guard lock(m_mutex);
    for (auto kept = m_kept.begin(); kept != m_kept.end(); ++kept)
        if (kept->id == subject.id && kept->state.fits(subject)) {
            m_kept.splice(m_kept.begin(), m_kept, kept);
            return kept->state;
        }
    return std::nullopt;
}

void RecordStore::put(std::uint32_t id, const ThinState& state) {
    const std::lock_guard lock(m_mutex);
    std::erase_if(m_kept, [id](const Kept& kept) { return kept.id == id; });
    m_kept.push_front({id, state, bytesOf(state)});
    std::size_t sum = 0;
    for (auto kept = m_kept.begin(); kept != m_kept.end();) {
        sum += kept->bytes;
        kept = sum > m_limit && kept != m_kept.begin() ? m_kept.erase(kept) : std::next(kept);
    }
}

void RecordStore::dropStale(const Scene& scene) {
    const std::lock_guard lock(m_mutex);
    std::erase_if(m_kept, [&scene](const Kept& kept) {
        const Subject* found = scene.findMesh(kept.id);
        return found == nullptr || !kept.state.fits(*found);
    });
}

void RecordStore::clear() {
    const std::lock_guard lock(m_mutex);
    m_kept.clear();
}

std::size_t RecordStore::bytes() const {
    const std::lock_guard lock(m_mutex);
    std::size_t sum = 0;
    for (const Kept& kept : m_kept)
        sum += kept.bytes;
    return sum;
}

} // namespace thicket::app
