#pragma once
// The finding that someone points to: where of its mesh it lies, and which of its places is looked at.

#include "appmodel/session.h"
#include "mesh/finding_places.h"

namespace thicket::app {

class PlacesModel : public QObject {
    Q_OBJECT
public:
    explicit PlacesModel(Session& session);

    /// Elements that are marked at a time: drawn in a few milliseconds. Those of the largest spots, and of the one that is
    /// looked at.
    static constexpr std::size_t kMostMarked = 4000;

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

signals:
    /// Something else is pointed to, or nothing.
    void changed();

private:
    void forgetOthers();

    Session& m_session;
    std::weak_ptr<const Mesh> m_mesh; ///< that is pointed into
    std::optional<Pointed> m_pointed;
};

} // namespace thicket::app
