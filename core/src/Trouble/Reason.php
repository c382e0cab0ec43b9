<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** What a system outside can refuse, or fail to do. The same thing has one name wherever it happens. */
enum Reason: string
{
    case BrokenFile = 'broken_file';
    case Busy = 'busy';
    case Cancelled = 'cancelled';
    case ChangesGone = 'changes_gone';
    case ClosedPort = 'closed_port';
    case ConnectionLost = 'connection_lost';
    case Constraint = 'constraint';
    case Altered = 'altered';
    case CutShort = 'cut_short';
    case DamagedFile = 'damaged_file';
    case DiskFull = 'disk_full';
    case DuplicateKey = 'duplicate_key';
    case Fault = 'fault';
    case FileChanging = 'file_changing';
    case IncompatibleTable = 'incompatible_table';
    case LandedColumn = 'landed_column';
    case LandedEmptied = 'landed_emptied';
    case LandedGone = 'landed_gone';
    case LandedReplaced = 'landed_replaced';
    case LogLimit = 'log_limit';
    case MissingFile = 'missing_file';
    case NoBucket = 'no_bucket';
    case NoColumn = 'no_column';
    case NoColumns = 'no_columns';
    case NoConnection = 'no_connection';
    case NoDatabase = 'no_database';
    case NoEngine = 'no_engine';
    case NoFeed = 'no_feed';
    case NoFile = 'no_file';
    case NoFolder = 'no_folder';
    case NoKey = 'no_key';
    case NoLibpq = 'no_libpq';
    case NoLog = 'no_log';
    case NoPattern = 'no_pattern';
    case NoPlace = 'no_place';
    case NoPosition = 'no_position';
    case NoPrivilege = 'no_privilege';
    case NoProcess = 'no_process';
    case NoPsql = 'no_psql';
    case NoSource = 'no_source';
    case NoStream = 'no_stream';
    case NoSystem = 'no_system';
    case NoTable = 'no_table';
    case NoTarget = 'no_target';
    case NotAdmitted = 'not_admitted';
    case NotReachable = 'not_reachable';
    case NotReady = 'not_ready';
    case NotTakenIn = 'not_taken_in';
    case NotAllowed = 'not_allowed';
    case NothingLanded = 'nothing_landed';
    case OpenTransactions = 'open_transactions';
    case OutOfMemory = 'out_of_memory';
    case PositionMoved = 'position_moved';
    case ReadOnly = 'read_only';
    case Refused = 'refused';
    case RowsKeptOut = 'rows_kept_out';
    case SameNames = 'same_names';
    case SlotGone = 'slot_gone';
    case SlotLost = 'slot_lost';
    case SourceReplaced = 'source_replaced';
    case SpoolSealed = 'spool_sealed';
    case Starting = 'starting';
    case Stopped = 'stopped';
    case Store = 'store';
    case TableRewritten = 'table_rewritten';
    case Tls = 'tls';
    case TooLong = 'too_long';
    case TooMany = 'too_many';
    case TooManyConnections = 'too_many_connections';
    case UnfitValue = 'unfit_value';
    case UnknownHost = 'unknown_host';
    case UnknownUser = 'unknown_user';
    case Unreachable = 'unreachable';
    case Unreadable = 'unreadable';
    case Value = 'value';
    case WrongPassword = 'wrong_password';

    /** Whether it may be for what one record holds that a target refused many of them. */
    public function concernsRecords(): bool
    {
        return in_array($this, [self::Value, self::Constraint, self::UnfitValue], true);
    }
}
