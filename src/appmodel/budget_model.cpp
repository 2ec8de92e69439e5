#include "appmodel/budget_model.h"

#include "appmodel/text.h"

namespace thicket::app {

BudgetModel::BudgetModel(Session& session) : m_session(session) {
    connect(&session.document, &Document::sceneChanged, this, [this](const Touched& touched) {
        if (touched.everything)
            m_audit.reset();
        else if (!m_audit || m_stale)
            return;
        m_stale = m_audit.has_value();
        emit auditChanged();
    });
}

StageState BudgetModel::state() const {
    return {m_audit && m_audit->holds() && !m_stale, !m_audit  ? (hasRoute() ? tr("not flown") : tr("no route"))
                                                     : m_stale ? tr("fly again")
                                                     : m_audit->holds()
                                                         ? tr("holds")
                                                         : tr("over in %1 frames").arg(m_audit->framesOver)};
}

const Route* BudgetModel::route() const {
    const auto& routes = m_session.scene().settings.routes;
    return routes.empty() ? nullptr : &routes.front();
}

void BudgetModel::setDevice(std::size_t index) {
    Settings settings = m_session.scene().settings;
    if (index == settings.device || index >= settings.devices.size())
        return;
    settings.device = index;
    m_session.document.push(changeSettings(m_session.scene(), settings, "Change the device"));
}

void BudgetModel::addRouteKey(const View& view) {
    Settings settings = m_session.scene().settings;
    if (settings.routes.empty())
        settings.routes.push_back({"Route", {}});
    auto& keys = settings.routes.front().keys;
    constexpr double kSecondsApart = 4;
    keys.push_back({keys.empty() ? 0.0 : keys.back().seconds + kSecondsApart, view.eye, view.eye + view.forward * 10});
    m_session.document.push(changeSettings(m_session.scene(), settings, "Key the camera"));
}

void BudgetModel::clearRoute() {
    Settings settings = m_session.scene().settings;
    if (settings.routes.empty())
        return;
    settings.routes.erase(settings.routes.begin());
    m_session.document.push(changeSettings(m_session.scene(), settings, "Remove the route"));
}

void BudgetModel::runAudit() {
    if (!hasRoute() || m_session.scene().currentDevice() == nullptr) {
        m_session.say(tr("There is no route to fly yet. In Budget, key the camera at two places or more."));
        return;
    }
    m_session.jobs().run(
        tr("Flying %1").arg(toText(route()->name)),
        [this, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            const Device* device = start.scene->currentDevice();
            if (start.document != asked.document || device == nullptr || start.scene->settings.routes.empty())
                return {};
            auto audit = auditRoute(*start.scene, start.scene->settings.routes.front(), *device, job);
            if (!audit)
                return [this, error = audit.error()] { m_session.report(error); };
            return [this, start, result = std::make_shared<Audit>(std::move(*audit))] {
                if (!m_session.document.isOpen(start))
                    return;
                m_audit = std::move(*result);
                m_stale = m_session.document.snapshot().revision != start.revision;
                emit auditChanged();
            };
        },
        QStringLiteral("audit"), true);
}

} // namespace thicket::app
