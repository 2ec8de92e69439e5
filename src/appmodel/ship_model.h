#pragma once
// Ship: writing what goes to an engine.

#include "appmodel/session.h"
#include "appmodel/stage.h"
#include "io/ship/ship.h"

namespace thicket::app {

class ShipModel : public QObject {
    Q_OBJECT
public:
    explicit ShipModel(Session& session);

    [[nodiscard]] StageState state() const;
    void ship(const QString& folder, const ShipOptions& options);
    [[nodiscard]] const ShipReport* report() const { return m_report ? &*m_report : nullptr; }

signals:
    void shipChanged();

private:
    Session& m_session;
    std::optional<ShipReport> m_report;
};

} // namespace thicket::app
