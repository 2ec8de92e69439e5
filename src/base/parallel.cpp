#include "base/parallel.h"

#include <algorithm>
#include <atomic>
#include <span>
#include <sys/resource.h>
#include <tbb/parallel_for.h>
#include <tbb/partitioner.h>
#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>

namespace thicket {

void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body) {
    const std::size_t chunks = (count + chunk - 1) / chunk;
    if (chunks <= 1) {
        if (count > 0)
            body(0, count);
        return;
    }
    // Who waits within a chunk for a loop or a sort of its own helps only there: it might begin another chunk of this loop
    // else, in the middle of the first, and what a thread keeps for itself would be two chunks' at once.
    const auto alone = [&](std::size_t i) {
        tbb::this_task_arena::isolate([&] { body(i * chunk, std::min(count, (i + 1) * chunk)); });
    };
    // In order, by whoever is free: some are long, and a loop ends early where those come first.
    std::atomic<std::size_t> next = 0;
    const auto takeInTurn = [&](std::size_t) {
        for (std::size_t i = next++; i < chunks; i = next++)
            alone(i);
    };
    const auto threads = static_cast<std::size_t>(tbb::this_task_arena::max_concurrency());
    tbb::parallel_for(std::size_t{0}, std::min(chunks, threads), takeInTurn, tbb::simple_partitioner());
}

bool parallelChunks(std::size_t count, std::size_t chunk, const JobContext& job,
                    const std::function<void(std::size_t, std::size_t)>& body) {
    parallelChunks(count, chunk, [&](std::size_t begin, std::size_t end) {
        if (!job.cancelled())
            body(begin, end);
    });
    return !job.cancelled();
}

namespace {

void giveWay() {
    constexpr int kNice = 10; // a tenth of the time of one that does not, where both want it
    // Of one thread, as Linux has it. A refusal changes nothing but how soon others get their turn.
    (void)setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), kNice);
}

} // namespace

class GiveWay::Helpers : public tbb::task_scheduler_observer {
public:
    Helpers() { observe(true); }
    ~Helpers() override { observe(false); }
    void on_scheduler_entry(bool worker) override {
        if (worker)
            giveWay();
    }
};

GiveWay::GiveWay() {
    giveWay();
    m_helpers = std::make_unique<Helpers>();
}
GiveWay::~GiveWay() = default;

namespace {

/// How many of a come among the first `count` of the merged a and b. SOURCE merge path (Odeh et al. 2012).
std::size_t shareOfFirst(std::span<const std::uint64_t> a, std::span<const std::uint64_t> b, std::size_t count) {
    std::size_t low = count > b.size() ? count - b.size() : 0;
    std::size_t high = std::min(count, a.size());
    while (low < high) {
        const std::size_t middle = (low + high) / 2;
        if (a[middle] < b[count - middle - 1])
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

} // namespace

bool sortKeys(BigVector<std::uint64_t>& keys, const JobContext& job) {
    constexpr std::size_t kRun = std::size_t{1} << 16;
    parallelChunks(keys.size(), kRun, job, [&](std::size_t begin, std::size_t end) {
        std::sort(keys.begin() + static_cast<std::ptrdiff_t>(begin), keys.begin() + static_cast<std::ptrdiff_t>(end));
    });
    BigVector<std::uint64_t> merged;
    for (std::size_t run = kRun; run < keys.size() && !job.cancelled(); run *= 2) {
        merged.resize(keys.size());
        // Runs are multiples of the chunk, so a chunk of what is merged belongs to one pair of runs.
        parallelChunks(keys.size(), kRun, job, [&](std::size_t begin, std::size_t end) {
            const std::size_t first = begin / (2 * run) * 2 * run;
            const std::span<const std::uint64_t> all(keys);
            const auto a = all.subspan(first, std::min(run, all.size() - first));
            const auto b = all.subspan(first + a.size(), std::min(run, all.size() - first - a.size()));
            const std::size_t fromA = shareOfFirst(a, b, begin - first);
            const std::size_t toA = shareOfFirst(a, b, end - first);
            std::merge(a.begin() + static_cast<std::ptrdiff_t>(fromA), a.begin() + static_cast<std::ptrdiff_t>(toA),
                       b.begin() + static_cast<std::ptrdiff_t>(begin - first - fromA),
                       b.begin() + static_cast<std::ptrdiff_t>(end - first - toA),
                       merged.begin() + static_cast<std::ptrdiff_t>(begin));
        });
        keys.swap(merged);
    }
    return !job.cancelled();
}

} // namespace thicket
