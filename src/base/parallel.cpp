#include "base/parallel.h"

#include <algorithm>
#include <tbb/parallel_for.h>

namespace thicket {

void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body) {
    const std::size_t chunks = (count + chunk - 1) / chunk;
    if (chunks <= 1) {
        if (count > 0)
            body(0, count);
        return;
    }
    tbb::parallel_for(std::size_t{0}, chunks,
                      [&](std::size_t i) { body(i * chunk, std::min(count, (i + 1) * chunk)); });
}

} // namespace thicket
