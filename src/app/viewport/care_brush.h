#pragma once
// The stroke of care in the making, and what it does to the mesh that is drawn.

#include "mesh/care.h"

#include <memory>
#include <optional>

namespace thicket::app {

class CareBrush {
public:
    using Values = std::shared_ptr<const std::vector<float>>;

    [[nodiscard]] bool painting() const { return m_stroke.has_value(); }
    [[nodiscard]] std::uint32_t subject() const { return m_subject; }
    /// `stroke` as the brush is set, without a path.
    void begin(std::uint32_t subject, CareStroke stroke, const Vec3f& place);
    /// Adds a place, where it is far enough from the last to make a difference.
    void goOn(const Vec3f& place);
    /// Gives the stroke up or away; empty when there was none.
    std::optional<CareStroke> end();
    /// The care of a mesh with the stroke in the making on top of what is `laid` (null: nothing, or not worked out
    /// yet). Just after a stroke it is what was last seen, until `laid` is there.
    Values valuesOn(const std::shared_ptr<const Mesh>& mesh, const Values& laid, bool hasCare);
    void forget() { m_live = {}; }

private:
    std::optional<CareStroke> m_stroke;
    std::uint32_t m_subject = 0;
    struct {
        std::shared_ptr<const Mesh> mesh;
        Values laid;
        std::size_t places = 0;
        Values values;
    } m_live;
};

} // namespace thicket::app
