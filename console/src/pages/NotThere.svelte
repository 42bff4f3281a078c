<script lang="ts"></script>

<h1>There is no such page</h1>
<p class="mt-2">
  The address may be old. <a class="link" href="#/">Go to the overview</a>, or search at the top.
</p>
