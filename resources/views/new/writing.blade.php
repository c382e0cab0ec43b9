<tr class="reading" data-writing-row><td></td><td colspan="11">
<details class="fold">
    <summary><b>How files are written</b> <span class="faded">format, packing, size and names</span></summary>
    @include('parts.writing-fields', ['typed' => $t])
</details>
</td></tr>
