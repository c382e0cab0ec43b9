<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\RouteLog;
use App\Runtime\Common\Systems;
use App\Runtime\Work\Lease;
use Lighterman\Core\Carrying\Roster;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\SourceSystem;

/** What a route's changes are read by, with everything that the reading is about. */
final readonly class RouteStream
{
    public function __construct(public RouteLog $log, public ChangeLog $changes, public Systems $systems, public LogRecorder $recorder, public Roster $roster, public Lease $lease)
    {
    }

    public function source(): SourceSystem
    {
        return $this->systems->source($this->log->route->source);
    }

    public function sourceName(): string
    {
        return $this->log->route->source->name;
    }
}
