#pragma once
// What is made for looking at: small pictures, surfaces coloured by deviation.

#include "appmodel/thin_model.h"
#include "measure/heat.h"

#include <QImage>
#include <map>

namespace thicket::app {

class LooksModel : public QObject {
    Q_OBJECT
public:
    LooksModel(Session& session, const ThinModel& thin) : m_session(session), m_thin(thin) {}

    /// A small picture of a mesh; null until it is made, then picturesChanged.
    [[nodiscard]] QImage picture(const std::shared_ptr<const Mesh>& mesh,
                                 const std::shared_ptr<const Surfaces>& surfaces);
    /// Where a level is off; null until it is worked out, then heatChanged.
    [[nodiscard]] std::shared_ptr<const Heat> heat(const Subject& subject, int level);

signals:
    void picturesChanged();
    void heatChanged();

private:
    Session& m_session;
    const ThinModel& m_thin;
    std::map<const Mesh*, std::pair<std::weak_ptr<const Mesh>, QImage>> m_pictures;
    struct KeptHeat {
        std::weak_ptr<const Mesh> level;
        std::weak_ptr<const Mesh> source;
        std::shared_ptr<const Heat> heat;
    };
    std::map<const Mesh*, KeptHeat> m_heats;
};

} // namespace thicket::app
