#pragma once
// The audit of a scene's first route, which is to succeed.

#include "budget/audit.h"

#include <gtest/gtest.h>

namespace thicket::test {

inline Audit auditOf(const Scene& scene, const Device& device) {
    auto audit = auditRoute(scene, scene.settings.routes[0], device, {});
    EXPECT_TRUE(audit);
    return std::move(*audit);
}

} // namespace thicket::test
