#pragma once
// The finding that someone points to: where of its mesh it lies, and which of its places is looked at.

#include "appmodel/session.h"
#include "mesh/finding_places.h"

namespace thicket::app {

class PlacesModel : public QObject {
    Q_OBJECT
public:
    explicit PlacesModel(Session& session);

    /// Elements of the largest spots that are marked, and of the one that is looked at: as many as are drawn in a few
    /// milliseconds.
    static constexpr std::uint32_t kMostMarked = 4000;

    struct Pointed {
        FindingKind kind = FindingKind::DegenerateTriangles;
        std::shared_ptr<const FindingPlaces> places;
        std::size_t spot = 0;      ///< of these, the one that is looked at
        std::vector<Vec3d> from{}; ///< directions, of length 1, that the first spots are looked at from
    };
    /// Points to a finding of the selected mesh; the same one again: to its next place, after the last to the first, or
    /// the other way round. Of what lies nowhere, nothing happens.
    void point(FindingKind kind, bool backwards = false);
    /// Points to nothing.
    void clear();
    /// Null while nothing is pointed to, or where it lies is not known yet.
    [[nodiscard]] const Pointed* pointed() const { return m_pointed ? &*m_pointed : nullptr; }
    /// Where something lies is being looked for.
    [[nodiscard]] bool looking() const { return m_asked.has_value(); }

signals:
    /// Something else is pointed to, or asked for, or nothing.
    void changed();

private:
    void forgetOthers();

    Session& m_session;
    std::weak_ptr<const Mesh> m_mesh;   ///< that is pointed into
    std::optional<FindingKind> m_asked; ///< where it lies is not known yet
    std::optional<Pointed> m_pointed;
};

} // namespace thicket::app
