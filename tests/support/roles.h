#pragma once
// Roles for tests that are no matter of looks: levels are made several times sooner by their surfaces alone.

#include "scene/scene.h"

namespace thicket::test {

inline RoleRules rolesBySurfaces() {
    RoleRules rules;
    for (RoleRule& rule : rules.of)
        rule.unseen = false;
    return rules;
}

} // namespace thicket::test
