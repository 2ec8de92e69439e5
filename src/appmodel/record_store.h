#pragma once
// Records of subjects, kept while they fit and while there is memory for them.

#include "scene/thin_subject.h"

#include <list>
#include <mutex>

namespace thicket::app {

/// Keeps the records that were used last, as many as fit into a bound; the one in hand is always kept. Records of
/// subjects that have changed since are dropped.
/// THREADS    any.
class RecordStore {
public:
    /// A third of the machine's memory, at most 6 GB.
    static std::size_t usualLimit();
    explicit RecordStore(std::size_t limitBytes = usualLimit()) : m_limit(limitBytes) {}

    /// The record that fits a subject as it is; empty when there is none.
    [[nodiscard]] std::optional<ThinState> find(const Subject& subject) const;
    void put(std::uint32_t id, const ThinState& state);
    /// Forgets what no longer fits.
    void dropStale(const Scene& scene);
    void clear();
    [[nodiscard]] std::size_t bytes() const;

private:
    struct Kept {
        std::uint32_t id = 0;
        ThinState state;
        std::size_t bytes = 0;
    };
    std::size_t m_limit;
    mutable std::mutex m_mutex;
    mutable std::list<Kept> m_kept; // guarded by m_mutex; used last in front
};

} // namespace thicket::app
