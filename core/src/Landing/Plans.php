<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Gathers changes the way they are to land. */
final class Plans
{
    public static function of(LandedTable $landed): ChangePlan
    {
        $key = KeyOf::columns($landed->shape->names(), $landed->key);

        return match (true) {
            $landed->forks->tables !== [] => new ForkedPlan($landed),
            $landed->as->landing->adds() => new Journal,
            $landed->as->landing->keepsVersions() => new Versions($key),
            default => new NetChanges($key),
        };
    }
}
