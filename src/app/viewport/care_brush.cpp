#include "app/viewport/care_brush.h"

namespace thicket::app {

void CareBrush::begin(std::uint32_t subject, CareStroke stroke, const Vec3f& place) {
    m_stroke = std::move(stroke);
    m_stroke->path = {place};
    m_subject = subject;
    m_live = {};
}

void CareBrush::goOn(const Vec3f& place) {
    constexpr float kStep = 0.15F; // of the radius: closer places change nothing one could see
    if (m_stroke && (place - m_stroke->path.back()).norm() > kStep * m_stroke->radius)
        m_stroke->path.push_back(place);
}

std::optional<CareStroke> CareBrush::end() {
    std::optional<CareStroke> out;
    out.swap(m_stroke);
    return out;
}

CareBrush::Values CareBrush::valuesOn(const std::shared_ptr<const Mesh>& mesh, const Values& laid, bool hasCare) {
    if (!m_stroke)
        return !laid && hasCare && m_live.mesh == mesh ? m_live.values : laid;
    // Worked out once for each new place, so that a picture at rest can come about.
    if (m_live.mesh != mesh || m_live.laid != laid || m_live.places != m_stroke->path.size()) {
        auto values = laid ? std::make_shared<std::vector<float>>(*laid) : std::make_shared<std::vector<float>>();
        layCare(*mesh, *m_stroke, *values);
        m_live = {mesh, laid, m_stroke->path.size(), std::move(values)};
    }
    return m_live.values;
}

} // namespace thicket::app
