<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Port\Form\Form;

/**
 * A kind of system, and all that anybody asks of it. What systems of it can do is said by the further interfaces that it
 * implements: Source, Target, Streams, HoldsLog.
 */
interface Connector
{
    /** How it is called in Lighterman's database and on the command line. */
    public function kind(): string;

    /** How it is called on pages. */
    public function word(): string;

    public function form(): Form;

    /**
     * Where a system lies, for people; never its secret.
     *
     * @param  array<string, string|int>  $settings
     */
    public function place(array $settings): string;
}
