#include "appmodel/budget_model.h"

#include "appmodel/text.h"
#include "base/file.h"
#include "io/project/audit_file.h"

namespace thicket::app {

namespace {

AuditFindings findingsOf(const Audit& audit, const Scene& scene) {
    constexpr std::size_t kMoments = 10;
    constexpr double kApart = 1.5; // seconds
    return {pacingOf(audit), worstMoments(audit, kMoments, kApart), notesOn(audit, scene)};
}

} // namespace

BudgetModel::BudgetModel(Session& session) : m_session(session) {
    connect(&session.document, &Document::sceneChanged, this, [this](const Touched& touched) {
        if (touched.everything)
            m_leftOut.clear();
        if (m_fit && !m_keeping)
            dropFit();
        if (m_sweep)
            dropSweep();
        const bool otherRoute = m_audit && (route() == nullptr || route()->name != m_audit->route);
        if (touched.everything && m_baseline)
            putBaselineAway();
        if (touched.everything || otherRoute)
            m_audit.reset();
        else if (!m_audit || m_stale)
            return;
        m_stale = m_audit.has_value();
        emit auditChanged();
    });
    connect(&session.document, &Document::stateChanged, this, [this] {
        if (m_session.document.path() != m_keptBeside)
            lookUpKept();
    });
    connect(this, &BudgetModel::auditChanged, this, &BudgetModel::compare);
}

StageState BudgetModel::state() const {
    return {m_audit && m_audit->holds() && !m_stale,
            !m_audit           ? (hasRoute() ? tr("not flown") : tr("no route"))
            : m_stale          ? tr("fly again")
            : m_audit->holds() ? tr("holds")
                               : tr("over in %1").arg(countText(m_audit->framesOver, "frame", "frames"))};
}

const Route* BudgetModel::route() const {
    return m_session.scene().currentRoute();
}

void BudgetModel::setDevice(std::size_t index) {
    Settings settings = m_session.scene().settings;
    if (index == settings.device || index >= settings.devices.size())
        return;
    settings.device = index;
    m_session.document.push(changeSettings(m_session.scene(), settings, "Change the device"));
}

void BudgetModel::setDevices(std::vector<Device> devices, std::size_t index) {
    if (devices.empty())
        return;
    Settings settings = m_session.scene().settings;
    settings.device = std::min(index, devices.size() - 1);
    settings.devices = std::move(devices);
    m_session.document.push(changeSettings(m_session.scene(), settings, "Change the devices"));
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
            if (start.document != asked.document || device == nullptr || start.scene->currentRoute() == nullptr)
                return {};
            auto audit = auditRoute(*start.scene, *start.scene->currentRoute(), *device, job);
            if (!audit)
                return [this, error = audit.error()] { m_session.report(error); };
            auto findings = findingsOf(*audit, *start.scene);
            return [this, start, result = std::make_shared<Audit>(std::move(*audit)), findings = std::move(findings)] {
                if (!m_session.document.isOpen(start))
                    return;
                m_audit = std::move(*result);
                m_findings = findings;
                m_stale = m_session.document.snapshot().revision != start.revision;
                emit auditChanged();
            };
        },
        QStringLiteral("audit"), true);
}

void BudgetModel::runFit() {
    if (!hasRoute() || m_session.scene().currentDevice() == nullptr) {
        m_session.say(tr("There is no route to fit to yet. In Budget, key the camera at two places or more."));
        return;
    }
    m_session.jobs().run(
        tr("Fitting to %1").arg(toText(m_session.scene().currentDevice()->name)),
        [this, asked = m_session.document.snapshot(), leftOut = m_leftOut](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            const Device* device = start.scene->currentDevice();
            if (start.document != asked.document || device == nullptr || start.scene->currentRoute() == nullptr)
                return {};
            FitOptions options;
            options.leftOut = leftOut;
            auto fit = fitScene(*start.scene, *start.scene->currentRoute(), *device, options, job);
            if (!fit)
                return [this, error = fit.error()] { m_session.report(error); };
            auto before = findingsOf(fit->before, *start.scene);
            auto after = findingsOf(fit->after, *start.scene);
            return [this, start, result = std::make_shared<Fit>(std::move(*fit)), before = std::move(before),
                    after = std::move(after)] {
                if (!m_session.document.isOpen(start))
                    return;
                if (m_session.document.snapshot().revision != start.revision) {
                    m_session.say(tr("The scene changed while it was fitted: fit it again."));
                    return;
                }
                m_fit = std::move(*result);
                m_fitFindings = after;
                m_audit = m_fit->before;
                m_findings = before;
                m_stale = false;
                emit auditChanged();
                emit fitChanged();
            };
        },
        QStringLiteral("fit"), true);
}

void BudgetModel::keepFit() {
    const Device* device = m_session.scene().currentDevice();
    if (!m_fit || device == nullptr)
        return;
    Settings settings = m_session.scene().settings;
    settings.devices[settings.device].fitted = m_fit->fitted;
    m_keeping = true;
    m_session.document.push(changeSettings(m_session.scene(), settings, "Fit the scene to " + device->name));
    m_keeping = false;
    m_audit = std::move(m_fit->after);
    m_findings = std::move(m_fitFindings);
    m_stale = false;
    m_fit.reset();
    emit auditChanged();
    emit fitChanged();
}

void BudgetModel::dropFit() {
    m_fit.reset();
    emit fitChanged();
}

void BudgetModel::leaveOut(std::uint32_t subject, bool out) {
    if (out)
        m_leftOut.insert(subject);
    else
        m_leftOut.erase(subject);
    if (m_fit)
        runFit();
}

void BudgetModel::freeFitted(std::uint32_t subject) {
    Settings settings = m_session.scene().settings;
    if (settings.device >= settings.devices.size())
        return;
    Loosened& fitted = settings.devices[settings.device].fitted;
    const std::size_t before = fitted.size();
    if (subject == 0)
        fitted.clear();
    else
        fitted.erase(subject);
    if (fitted.size() != before)
        m_session.document.push(changeSettings(m_session.scene(), settings, "Free what was fitted"));
}

void BudgetModel::runSweep(const SweepOptions& options) {
    if (m_session.scene().currentDevice() == nullptr)
        return;
    m_session.jobs().run(
        tr("Looking all round"),
        [this, options, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            const Device* device = start.scene->currentDevice();
            if (start.document != asked.document || device == nullptr)
                return {};
            auto sweep = sweepScene(*start.scene, *device, options, job);
            if (!sweep)
                return [this, error = sweep.error()] { m_session.report(error); };
            return [this, start, result = std::make_shared<Sweep>(std::move(*sweep))] {
                if (!m_session.document.isOpen(start))
                    return;
                if (m_session.document.snapshot().revision != start.revision) {
                    m_session.say(tr("The scene changed meanwhile: look all round again."));
                    return;
                }
                m_sweep = std::move(*result);
                emit sweepChanged();
            };
        },
        QStringLiteral("sweep"), true);
}

void BudgetModel::dropSweep() {
    m_sweep.reset();
    emit sweepChanged();
}

void BudgetModel::saveSweep(const QString& file) {
    if (!m_sweep)
        return;
    m_session.jobs().run(tr("Writing %1").arg(file.section('/', -1)),
                         [this, file, sweep = *m_sweep](const JobContext&) -> JobQueue::Finish {
                             auto done = writeTextFile(toPath(file), sweepTable(sweep));
                             if (!done)
                                 return [this, error = done.error()] { m_session.report(error); };
                             return [this, file] { m_session.say(tr("Wrote %1").arg(file)); };
                         });
}

// ---- comparing

void BudgetModel::lookUpKept() {
    m_keptBeside = m_session.document.path();
    if (m_keptBeside.empty()) {
        m_kept.clear();
        emit baselineChanged();
        return;
    }
    m_session.quick().run(tr("Looking for audits that were kept"),
                          [this, project = m_keptBeside](const JobContext&) -> JobQueue::Finish {
                              QStringList names;
                              for (const std::string& name : thicket::keptAudits(auditsFolder(project)))
                                  names << toText(name);
                              return [this, project, names] {
                                  if (project != m_keptBeside)
                                      return;
                                  m_kept = names;
                                  emit baselineChanged();
                              };
                          });
}

void BudgetModel::keepAudit(const QString& name) {
    if (!m_audit || name.trimmed().isEmpty())
        return;
    if (m_session.document.path().empty()) {
        m_session.say(tr("Save the project first: audits are kept beside it."));
        return;
    }
    const auto file = auditFile(auditsFolder(m_session.document.path()), name.trimmed().toStdString());
    m_session.saves().run(
        tr("Keeping the audit"),
        [this, file, name, kept = baselineOf(*m_audit, m_session.scene())](const JobContext&) -> JobQueue::Finish {
            std::error_code failed;
            if (std::filesystem::exists(file, failed) || failed)
                return [this, name] {
                    m_session.say(
                        tr("%1 is kept already: take another name, or remove that one first.").arg(name.trimmed()));
                    lookUpKept();
                };
            const auto done = writeAudit(kept, file);
            if (!done)
                return [this, error = done.error()] { m_session.report(error); };
            return [this, name] {
                m_session.say(tr("Kept as %1").arg(name.trimmed()));
                lookUpKept();
            };
        });
}

void BudgetModel::removeKept(const QString& name) {
    const auto file = auditFile(auditsFolder(m_session.document.path()), name.toStdString());
    m_session.saves().run(tr("Removing %1").arg(name), [this, file](const JobContext&) -> JobQueue::Finish {
        std::error_code failed;
        std::filesystem::remove(file, failed);
        if (failed)
            return [this, error = Error{ErrorCode::Unwritable, file.string(), failed.message(), "remove it by hand"}] {
                m_session.report(error);
            };
        return [this] { lookUpKept(); };
    });
    if (m_baseline && m_baselineName == name)
        putBaselineAway();
}

void BudgetModel::compareWithKept(const QString& name) {
    compareWith(
        QString::fromStdString(auditFile(auditsFolder(m_session.document.path()), name.toStdString()).string()));
}

void BudgetModel::compareWith(const QString& file) {
    m_session.quick().run(tr("Reading %1").arg(file.section('/', -1)),
                          [this, file, asked = m_session.document.snapshot()](const JobContext&) -> JobQueue::Finish {
                              auto read = readAudit(toPath(file));
                              if (!read)
                                  return [this, error = read.error()] { m_session.report(error); };
                              return [this, file, asked, baseline = std::make_shared<AuditBaseline>(std::move(*read))] {
                                  if (!m_session.document.isOpen(asked))
                                      return;
                                  m_baseline = std::move(*baseline);
                                  m_baselineName = file.section('/', -1);
                                  m_baselineName.remove(QString::fromLatin1(kAuditSuffix));
                                  compare();
                              };
                          });
}

void BudgetModel::putBaselineAway() {
    m_baseline.reset();
    m_baselineName.clear();
    compare();
}

void BudgetModel::compare() {
    constexpr double kWorse = 0.05;
    m_worse = std::vector<Worse>();
    if (m_baseline && m_audit && !m_audit->frames.empty() &&
        m_audit->frames.front().subjectMs.size() == m_session.scene().subjects.size())
        m_worse = worseThan(m_baseline->summary, summaryOf(*m_audit, m_session.scene()), kWorse);
    emit baselineChanged();
}

} // namespace thicket::app
