#include "appmodel/places_model.h"

#include "measure/sightline.h"

#include <algorithm>

namespace thicket::app {
namespace {

/// From where the first spots of a finding are looked at.
std::vector<Vec3d> sightlines(const Mesh& mesh, const FindingPlaces& places, const JobContext& job) {
    constexpr std::size_t kMostSpots = 100;
    constexpr std::uint32_t kMostPlaces = 12;
    const SurfaceRays rays(mesh);
    const double least = 1e-4 * boundsOf(mesh).diagonal();
    std::vector<Vec3d> out;
    for (std::size_t i = 0; i < std::min(places.spots.size(), kMostSpots) && !job.cancelled(); ++i) {
        const FindingSpot& spot = places.spots[i];
        std::vector<Vec3d> at;
        const std::uint32_t step = std::max(1U, spot.count / kMostPlaces);
        for (std::uint32_t e = spot.first; e < spot.first + spot.count; e += step) {
            const auto& corners = places.elements[e];
            at.push_back((corners[0] + corners[1] + corners[2]).cast<double>() / 3);
        }
        out.push_back(sightlineTo(rays, at, spot.outward, std::max(spot.radius, least)));
    }
    return out;
}

} // namespace

PlacesModel::PlacesModel(Session& session) : m_session(session) {
    connect(&session, &Session::selectionChanged, this, &PlacesModel::forgetOthers);
    connect(&session.document, &Document::sceneChanged, this, &PlacesModel::forgetOthers);
}

void PlacesModel::forgetOthers() {
    const Subject* subject = m_session.meshSubject();
    if (subject == nullptr || subject->mesh().source().mesh != m_mesh.lock())
        clear();
}

void PlacesModel::clear() {
    m_mesh.reset();
    const bool asked = std::exchange(m_asked, std::nullopt).has_value();
    if (std::exchange(m_pointed, std::nullopt) || asked)
        emit changed();
}

void PlacesModel::point(FindingKind kind, bool backwards) {
    if (m_pointed && m_pointed->kind == kind) {
        const std::size_t all = m_pointed->places->spots.size();
        m_pointed->spot = (m_pointed->spot + (backwards ? all - 1 : 1)) % all;
        emit changed();
        return;
    }
    const Subject* subject = m_session.meshSubject();
    if (subject == nullptr || !subject->mesh().source().mesh || !liesSomewhere(kind) || m_asked == kind)
        return;
    const std::shared_ptr<const Mesh> mesh = subject->mesh().source().mesh;
    m_mesh = mesh;
    m_asked = kind;
    m_pointed.reset();
    emit changed();
    m_session.looks().run(
        {},
        [this, mesh, kind](const JobContext& job) -> JobQueue::Finish {
            auto places = placesOf(*mesh, kind, job);
            std::optional<Pointed> made;
            if (places && !places->spots.empty()) {
                made = Pointed{kind, std::make_shared<const FindingPlaces>(std::move(*places))};
                made->from = sightlines(*mesh, *made->places, job);
            }
            return [this, mesh, kind, made = std::move(made)] {
                if (m_asked != kind || m_mesh.lock() != mesh) // something else is looked at by now
                    return;
                m_asked.reset();
                m_pointed = made;
                emit changed();
            };
        },
        QStringLiteral("places"), true);
}

} // namespace thicket::app
