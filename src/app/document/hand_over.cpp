#include "document/hand_over.h"

#include "document/document.h"
#include "frames/frame.h"
#include "render/views/returned.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QSettings>

namespace yolk::app {
namespace {

QString commandKey(Handed what)
{
    return what == Handed::Picture ? QStringLiteral("handOver/command") : QStringLiteral("handOver/lightCommand");
}

std::string pathText(const QString &path)
{
    return QFile::encodeName(path).toStdString();
}

} // namespace

HandOver::HandOver(Document *document, Handed what)
    : QObject(document), document_(document), what_(what), lane_(Lane::Policy::CancelRunning, this)
{
    constexpr int kSettled = 400; // milliseconds without a change: programs write in pieces
    soon_.setSingleShot(true);
    soon_.setInterval(kSettled);
    connect(&soon_, &QTimer::timeout, this, &HandOver::look);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] { soon_.start(); });
    connect(document, &Document::setChanged, this, [this] {
        forget();
        file_.clear();
        handed_.reset();
        Q_EMIT changed();
    });
    connect(document, &Document::recipeChanged, this, &HandOver::changed);
}

HandOver::~HandOver()
{
    if (process_)
        process_->disconnect(this); // it goes on without us
}

/// What is on its way is not waited for any more.
void HandOver::forget()
{
    seenId_.clear();
    isBack_ = false;
    soon_.stop();
    lane_.discard();
    if (!watcher_.files().isEmpty())
        watcher_.removePaths(watcher_.files());
}

QString HandOver::command() const
{
    return QSettings().value(commandKey(what_)).toString();
}

void HandOver::setCommand(const QString &command)
{
    QSettings().setValue(commandKey(what_), command);
}

const ReturnedPicture &HandOver::returned() const
{
    return document_->recipe().*returnedIn(what_);
}

bool HandOver::isBack() const
{
    return document_->isOpen() && returned().isThere();
}

bool HandOver::isOutdated() const
{
    return document_->isOpen() && yolk::isOutdated(document_->recipe(), what_);
}

QString HandOver::file() const
{
    return isBack() ? QFileInfo(QString::fromStdString(returned().file)).fileName() : QFileInfo(file_).fileName();
}

void HandOver::start()
{
    if (!document_->isOpen())
        return;
    if (QProcess::splitCommand(command()).isEmpty()) {
        Q_EMIT failed(tr("Say first which program it is handed to: its command, with {file} for the file."));
        return;
    }
    handed_ = document_->recipe();
    *handed_.*returnedIn(what_) = {};
    forget(); // what came before is over
    const bool isPicture = what_ == Handed::Picture;
    file_ = document_->proposedPath(isPicture ? tr("-handed.tif") : tr("-handed.exr"));
    if (!QFileInfo(QFileInfo(file_).absolutePath()).isWritable())
        file_ = QDir::temp().filePath(QFileInfo(file_).fileName());
    // What came back before stays: a step of undo may lead there.
    const QFileInfo first(file_);
    for (int number = 2; QFileInfo::exists(file_); ++number)
        file_ = first.dir().filePath(
            QStringLiteral("%1 %2.%3").arg(first.completeBaseName()).arg(number).arg(first.suffix()));
    const Recipe written = toHandOver(*handed_, what_);
    if (isPicture)
        document_->exportRecipe(file_, written, [this] { run(); });
    else
        document_->saveRadianceOf(file_, written, [this] { run(); });
    Q_EMIT changed();
}

void HandOver::run()
{
    lane_.start<std::string>(
        {}, [file = pathText(file_)](ExecContext &) { return loadFrame(file)->id; },
        [this](Outcome<std::string> outcome) {
            if (!outcome.result)
                return void(Q_EMIT failed(outcome.error));
            seenId_ = *outcome.result;
            begin();
        });
}

void HandOver::begin()
{
    QStringList words = QProcess::splitCommand(command());
    for (QString &word : words)
        word.replace(QStringLiteral("{file}"), file_);
    if (!command().contains(QStringLiteral("{file}")))
        words << file_;
    watcher_.addPath(file_);
    process_ = std::make_unique<QProcess>();
    const QString program = words.takeFirst();
    connect(process_.get(), &QProcess::errorOccurred, this, [this, program](QProcess::ProcessError error) {
        if (error == QProcess::FailedToStart)
            Q_EMIT failed(tr("%1 cannot be started; what was handed over lies in %2.").arg(program, file_));
    });
    connect(process_.get(), &QProcess::finished, this, [this, program](int code) {
        if (code != 0)
            Q_EMIT failed(tr("%1 ended with an error (%2); the picture was left as it is.").arg(program).arg(code));
        else
            look();
    });
    process_->start(program, words);
    Q_EMIT changed();
}

void HandOver::look()
{
    if (seenId_.empty() || !handed_ || !document_->isOpen())
        return; // it is not written yet
    if (!watcher_.files().contains(file_) && QFileInfo::exists(file_))
        watcher_.addPath(file_); // it was replaced by a new file
    auto work = [file = pathText(file_), handed = *handed_, sources = document_->sources(),
                 measured = document_->measured(), what = what_](ExecContext &) {
        return returnedAs(file, handed, RenderPlan(sources, measured, handed), what);
    };
    lane_.start<ReturnedPicture>({}, work, [this](Outcome<ReturnedPicture> outcome) {
        if (outcome.result)
            take(*outcome.result);
        else if (!outcome.error.isEmpty())
            Q_EMIT failed(outcome.error);
    });
}

void HandOver::take(const ReturnedPicture &returned)
{
    // The same file is not taken twice: its change is seen by the watcher too, maybe after what came back was removed.
    if (!document_->isOpen() || seenId_.empty() || returned.id == seenId_)
        return;
    Recipe next = document_->recipe();
    next.*returnedIn(what_) = returned;
    isBack_ = true;
    seenId_ = returned.id;
    document_->setRecipe(std::move(next),
                         what_ == Handed::Picture ? tr("picture that came back") : tr("light that came back"));
}

void HandOver::remove()
{
    if (!isBack())
        return;
    Recipe next = document_->recipe();
    next.*returnedIn(what_) = {};
    document_->setRecipe(std::move(next), tr("without what came back"));
}

} // namespace yolk::app
